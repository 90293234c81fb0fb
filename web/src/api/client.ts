import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Figure = Schemas["Figure"];
export type Watch = Schemas["Watch"];
export type BedNow = Schemas["BedNow"];
export type Air = Schemas["Air"];
export type TankNow = Schemas["TankNow"];
export type Ribbon = Schemas["Ribbon"];
export type Peg = Schemas["Peg"];
export type Line = Schemas["Line"];
export type Lines = Schemas["Lines"];
export type SlipLine = Schemas["SlipLine"];
export type Bench = Schemas["Bench"];
export type BenchCard = Schemas["CardOut"];
export type BenchLive = Schemas["Live"];
export type BenchDraft = Schemas["DraftOut"];
export type BenchHands = Schemas["Hands"];
export type CalVersion = Schemas["VersionOut"];
export type ToCalibrate = Schemas["ToCalibrate"];
export type TrustOut = Schemas["TrustOut"];
export type Trial = Schemas["Trial"];
export type ChannelRecord = Schemas["RecordOut"];
export type Certificate = Schemas["Certificate"];
export type ScaleComparison = Schemas["ScaleComparison"];
export type BatchRow = Schemas["BatchRow"];
export type Probe = Schemas["ProbeOut"];
export type ProgrammeOut = Schemas["ProgrammeOut"];
type Full<T> = T extends (infer U)[] ? Full<U>[] : T extends object ? { [K in keyof T]-?: Full<Exclude<T[K], undefined>> } : T;
/** A programme as the server always gives it: every part there, or null where it is switched off. */
export type Programme = Full<Schemas["Programme"]>;
export type Trigger = Programme["triggers"][number];
export type TriggerKind = Trigger["kind"];
export type Dose = Programme["dose"];
export type Tried = Full<Schemas["Tried"]>;
export type Replayed = Schemas["Replayed"];
export type Compared = Schemas["Compared"];
export type Checked = Schemas["Checked"];
export type ProgrammeProblem = Full<Schemas["Problem"]>;
export type SchoolLine = Schemas["SchoolLine"];
export type LineDay = Schemas["LineDay"];
export type Layout = Schemas["Layout"];
export type BedForm = Schemas["BedForm"];
export type BedOut = Schemas["BedOut"];
export type HouseOut = Schemas["HouseOut"];
export type NodeOut = Schemas["NodeOut"];
export type Day = Schemas["DayOut"];
export type Me = Schemas["Me"];

export type WaterWay = Schemas["WaterWay"];
export type TankLine = Schemas["TankLine"];
export type PumpLine = Schemas["PumpLine"];
export type BedLine = Schemas["BedLine"];
export type SourceOut = Schemas["SourceOut"];
export type TankOut = Schemas["TankOut"];
export type PumpOut = Schemas["PumpOut"];
export type MediumRow = Schemas["MediumRow"];
export type Profile = Schemas["Profile"];
export type Cups = Schemas["CupsOut"];
export type Payback = Schemas["PaybackOut"];
export type Device = Schemas["DeviceOut"];
export type Catalogue = Schemas["Catalogue"];
export type Choice = Schemas["ChoiceOut"];
export type Kind = Schemas["KindOut"];
export type PlaceJudged = Schemas["PlaceJudged"];
export type ChannelOut = Schemas["ChannelOut"];
export type ActuatorBrief = Schemas["ActuatorBrief"];
export type Proof = Schemas["ProofOut"];
export type ActuatorProof = Schemas["ActuatorProofOut"];
export type BusOut = Schemas["BusOut"];
export type FrameOut = Schemas["FrameOut"];
export type WiringSheet = Schemas["WiringSheet"];
export type ProbePage = Schemas["ProbePage"];

export interface FieldError {
  field: string;
  value: unknown;
  expected: string;
  message: string;
}

/** A refusal by the server: each with its field. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly errors: FieldError[],
  ) {
    super(errors.map((e) => e.message).join(" "));
  }

  at(field: string): string | undefined {
    return this.errors.find((e) => e.field === field)?.message;
  }
}

const cookie = (name: string) => document.cookie.split("; ").find((c) => c.startsWith(`${name}=`))?.slice(name.length + 1) ?? "";

export const api = createClient<paths>({ baseUrl: "" });

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    let errors: FieldError[] = [];
    try {
      errors = ((await response.clone().json()) as { errors: FieldError[] }).errors;
    } catch {
      errors = [{ field: "", value: null, expected: "", message: `The server answered ${response.status}. Trying again may help.` }];
    }
    if (response.status === 401) window.dispatchEvent(new Event("reed:signed-out"));
    throw new ApiError(response.status, errors);
  },
});

/** The data of an answer; errors have been thrown by then. */
export async function take<T>(call: Promise<{ data?: T }>): Promise<T> {
  const { data } = await call;
  return data as T;
}

export const problemOf = (error: unknown): string =>
  error instanceof ApiError ? error.message : "The server cannot be reached. Nothing is lost; trying again.";
