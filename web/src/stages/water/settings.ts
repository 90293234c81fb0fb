import type { Dose, Programme, TriggerKind } from "../../api/client";

type Plain = string | number | boolean | null | Plain[] | { [key: string]: Plain };

/** The value at a dotted path of a programme. */
export function atPath(programme: Programme, path: string): Plain {
  return path.split(".").reduce<Plain>((at, name) => (at === null || typeof at !== "object" ? null : Array.isArray(at) ? (at[Number(name)] ?? null) : (at[name] ?? null)), programme as unknown as Plain);
}

/** The programme with a value put at a dotted path. */
export function withPath(programme: Programme, path: string, value: Plain): Programme {
  const put = (at: Plain, [name, ...rest]: string[]): Plain => {
    if (name === undefined) return value;
    if (Array.isArray(at)) return at.map((v, i) => (i === Number(name) ? put(v, rest) : v));
    const held = at !== null && typeof at === "object" ? at : {};
    return { ...held, [name]: put(held[name] ?? null, rest) };
  };
  return put(programme as unknown as Plain, path.split(".")) as unknown as Programme;
}

export interface Shape {
  unit: string;
  scale: number;
  digits: number;
  clock?: boolean;
}

const plain = (unit: string, digits = 0, scale = 1): Shape => ({ unit, digits, scale });
const SHAPES: Record<string, Shape> = {
  low: plain("%", 1, 100), high: plain("%", 1, 100), rescue: plain("%", 1, 100), soak_min: plain("min"), largest_gap_min: plain("min"), tries: plain(""), pulses_per_day: plain(""),
  daily_cap_ml_per_plant: plain("mL"), hourly_cap_ml_per_plant: plain("mL"), stale_after_s: plain("min", 0, 1 / 60), "recharge.gap_min": plain("min"), "recharge.pulses": plain(""),
  "fallback.share": plain("%", 0, 100), "fallback.hours": plain("h"), "drain.share": plain("%", 0, 100), "drain.gain": plain("", 2), "drain.bound": plain("%", 0, 100),
  "rain.hold_min": plain("min"), "rain.credit_share": plain("%", 0, 100),
};
const MOMENTS: Record<Programme["start"]["kind"], Shape> = { sun: plain("min"), clock: { unit: "", scale: 1, digits: 0, clock: true }, light: plain("W/m²"), fall: plain("points", 1, 100) };
/** The choice beside a dose names its unit. */
const DOSES: Record<Dose["kind"], Shape> = { ml: plain(""), share: plain("", 1, 100), seconds: plain(""), to_top: plain("") };
export const TRIGGERS: Record<TriggerKind, Shape & { name: string; says: string; first: number }> = {
  below_low: { ...plain("%", 1, 100), name: "the water content falls below the low", says: "below the low", first: 0 },
  fallen: { ...plain("points", 1, 100), name: "it has fallen since the last peak by", says: "fall since the last peak", first: 0.03 },
  suction: { ...plain("kPa", 1), name: "the suction is above", says: "suction", first: 3 },
  light_sum: { ...plain("J/cm²"), name: "the light since the last pulse has come to", says: "light since the last pulse", first: 100 },
  vpd_hours: { ...plain("kPa h", 1), name: "the dryness of the air since the last pulse has come to", says: "VPD-hours since the last pulse", first: 2 },
  water_use: { ...plain("mL"), name: "the crop has used, by the model,", says: "modelled use since the last pulse", first: 100 },
  elapsed: { ...plain("min"), name: "the last pulse is over since", says: "time since the last pulse", first: 60 },
  clock: { ...plain(""), name: "the clock shows", says: "clock", first: 0 },
};

/** Unit, scale and digits in which the number at a path is read and typed. */
export function shapeOf(programme: Programme, path: string): Shape {
  if (path === "start.value" || path === "stop.value") return MOMENTS[path === "start.value" ? programme.start.kind : programme.stop.kind];
  if (path === "dose.value") return DOSES[programme.dose.kind];
  if (path === "recharge.dose.value") return DOSES[programme.recharge?.dose.kind ?? "ml"];
  const trigger = /^triggers\.(\d+)\.value$/.exec(path);
  if (trigger) return TRIGGERS[programme.triggers[Number(trigger[1])]?.kind ?? "elapsed"];
  return SHAPES[path] ?? plain("");
}

const NAMES: Record<string, string> = {
  low: "Low", high: "High", rescue: "Rescue", soak_min: "Soak", largest_gap_min: "Longest gap", tries: "Tries", pulses_per_day: "Pulses a day", daily_cap_ml_per_plant: "Daily cap",
  hourly_cap_ml_per_plant: "Hourly cap", stale_after_s: "Oldest reading", "recharge.gap_min": "Gap of the recharge", "recharge.pulses": "Pulses of the recharge", "recharge.dose.value": "Dose of the recharge",
  "fallback.share": "Share without a reading", "fallback.hours": "Hours without a reading", "drain.share": "Wanted drain", "drain.gain": "How strongly drain corrects", "drain.bound": "Correction a day",
  "rain.hold_min": "Rain hold", "rain.credit_share": "Rain counted", "start.value": "Start", "stop.value": "Stop", "dose.value": "Dose", triggers: "What asks for water", match: "Any or all",
  pump_flow_l_min: "Pump",
};
export function nameOf(programme: Programme, path: string): string {
  const trigger = /^triggers\.(\d+)/.exec(path);
  if (trigger) {
    const words = TRIGGERS[programme.triggers[Number(trigger[1])]?.kind ?? "elapsed"].says;
    return words.charAt(0).toUpperCase() + words.slice(1);
  }
  return NAMES[path] ?? path;
}

export const clockText = (minute: number): string => `${String(Math.floor(minute / 60)).padStart(2, "0")}:${String(Math.round(minute) % 60).padStart(2, "0")}`;

export function minuteOf(text: string): number | null {
  const found = /^\s*(\d{1,2})[:.](\d{2})\s*$/.exec(text);
  if (!found) return null;
  const [hour, minute] = [Number(found[1]), Number(found[2])];
  return hour < 24 && minute < 60 ? hour * 60 + minute : null;
}

/** A value at a path as it reads in the sentence, with its unit. */
export function shownAt(programme: Programme, path: string, value: number): string {
  const shape = shapeOf(programme, path);
  return shape.clock ? clockText(value) : `${(value * shape.scale).toFixed(shape.digits)}${shape.unit ? ` ${shape.unit}` : ""}`;
}
