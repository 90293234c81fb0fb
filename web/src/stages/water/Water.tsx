import { lazy, Suspense } from "react";
import { useNavigate } from "react-router";
import { problemOf } from "../../api/client";
import { useProgramme } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { Parts, usePart } from "../../frame/Parts";
import { millilitres, percent } from "../../units/format";
import { ProgrammeEditor } from "./ProgrammeEditor";

const ComparePart = lazy(() => import("./ComparePart").then((m) => ({ default: m.ComparePart })));
const ReplayPart = lazy(() => import("./ComparePart").then((m) => ({ default: m.ReplayPart })));
const HandPart = lazy(() => import("./HandPart").then((m) => ({ default: m.HandPart })));
const LinePart = lazy(() => import("./LinePart"));
const PlanPart = lazy(() => import("./PlanPart"));
const DevicesPart = lazy(() => import("./DevicesPart"));
const PracticePart = lazy(() => import("./PracticePart"));

const PARTS = [
  { code: "programme", name: "Programme" },
  { code: "compare", name: "Side by side" },
  { code: "replay", name: "Replay" },
  { code: "hand", name: "By hand" },
  { code: "plan", name: "Plan" },
  { code: "line", name: "Pump lines" },
  { code: "devices", name: "Other devices" },
  { code: "practice", name: "Practice" },
] as const;
/** Parts that are of one bed; without a bed they show the list to choose from. */
const OF_A_BED = ["programme", "compare", "replay", "hand"];

/** Programmes, tried and published; what is done by hand; and what else the house is steered by. */
export default function Water(props: StageProps) {
  const [here, go] = usePart(PARTS);
  return (
    <>
      <Parts parts={PARTS} here={here} onGo={go} label="Parts of Water" />
      <Suspense fallback={<p className="quiet">Opening…</p>}>
        {OF_A_BED.includes(here) ? props.bed ? <WaterBed key={props.bed.id} {...props} bed={props.bed} part={here} /> : <WaterHouse {...props} part={here} /> : null}
        {here === "plan" && <PlanPart {...props} />}
        {here === "line" && <LinePart {...props} />}
        {here === "devices" && <DevicesPart {...props} />}
        {here === "practice" && <PracticePart />}
      </Suspense>
    </>
  );
}

function WaterHouse({ watch, part }: StageProps & { part: string }) {
  const go = useNavigate();
  return (
    <>
      <h1>How the beds are watered</h1>
      <p className="lead">Choose a bed to read its programme as a sentence, change it, and try it on a simulated day.</p>
      <ul className="probe-list">
        {watch.beds.map((b) => (
          <li key={b.id}>
            <div>
              <b>Bed {b.name}</b>, {b.crop}
              <span className="quiet block">
                {b.programme === null ? "no programme yet; one is proposed" : `version ${b.programme}, band ${percent(b.low)} to ${percent(b.high)}; ${b.pulses_today} pulses, ${millilitres(b.given.value ?? 0)} per plant today`}
              </span>
            </div>
            <button type="button" className={b.programme === null ? "button primary" : "button"} onClick={() => go(`/water/${b.id}${part === "programme" ? "" : `?part=${part}`}`)}>
              {b.programme === null ? "Read the proposal" : "Open"}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

function WaterBed({ watch, bed, mayChange, part }: StageProps & { bed: NonNullable<StageProps["bed"]>; part: string }) {
  const programme = useProgramme(bed.id);
  if (programme.isPending) return <p className="quiet">Reading the programme…</p>;
  if (!programme.data) return <p role="alert" className="error">{problemOf(programme.error)}</p>;
  const props = { watch, bed, programme: programme.data, mayChange };
  if (part === "compare") return <ComparePart {...props} />;
  if (part === "replay") return <ReplayPart {...props} />;
  return part === "hand" ? <HandPart {...props} /> : <ProgrammeEditor {...props} />;
}
