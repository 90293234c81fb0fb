import { lazy, Suspense, useDeferredValue, useEffect, useState } from "react";
import { ApiError, api, problemOf, take, type BedNow, type ProgrammeForm, type ProgrammeOut, type Simulated, type Watch } from "../../api/client";
import { useChange, useSimulated, type Weather } from "../../api/queries";
import { DayRibbon } from "../../drawings/DayRibbon";
import { fromSimulation } from "../../drawings/ribbonData";
import { Fig } from "../../frame/Fig";
import { clock, dayName, fixed, millilitres, percent, withUnit } from "../../units/format";
import { ProgrammeSentence } from "./ProgrammeSentence";

const BedActions = lazy(() => import("../watch/BedActions"));
const WEATHERS: { code: Weather; label: string }[] = [
  { code: "clear", label: "a clear day" }, { code: "mixed", label: "a mixed day" }, { code: "dull", label: "a dull day" }, { code: "hot", label: "a hot, dry day" },
];

interface Props {
  watch: Watch;
  bed: BedNow;
  programme: ProgrammeOut;
  mayChange: boolean;
}

const useSettled = <T,>(value: T, ms: number): T => {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), ms);
    return () => window.clearTimeout(timer);
  }, [value, ms]);
  return settled;
};

/** The programme as a sentence; below it the simulated day that it gives; publish when it is right. */
export function ProgrammeEditor({ watch, bed, programme, mayChange }: Props) {
  const published = programme.published;
  const [draft, setDraft] = useState<ProgrammeForm>(() => ({ ...(published ?? programme.proposed) }));
  const [weather, setWeather] = useState<Weather>("clear");
  const tried = useSettled(draft, 60);
  const simulated = useSimulated(bed.id, tried, weather);
  const shown = useDeferredValue(simulated.data);
  const base = published?.number ?? 0;
  const publish = useChange(
    () => take(api.POST("/api/beds/{bed_id}/programme/publish/", { params: { path: { bed_id: bed.id } }, body: draft })),
    "programme", "watch", "slip", "ribbon", "lines",
  );
  const changed = JSON.stringify({ ...draft, number: 0 }) !== JSON.stringify({ ...(published ?? {}), number: 0 });
  const refusals = publish.error instanceof ApiError ? publish.error : null;
  const problems = Object.fromEntries([...(simulated.data?.problems ?? []).map((p) => [p.field, p.message]), ...(refusals?.errors ?? []).map((e) => [e.field, e.message])]);
  const othersPublished = draft.number !== base;
  return (
    <>
      <h1>Bed {bed.name}, how it is watered</h1>
      <p className="quiet">{headline(programme, watch.time_zone, changed)}</p>
      {!programme.controllable && <p role="alert" className="error">This bed has no valve yet: the programme can be tried, but nothing opens. Fit one first.</p>}
      {bed.status === "uncalibrated" && <p role="alert" className="error">Its probe is not calibrated. A programme can be published, and withholds every pulse until it is.</p>}
      <ProgrammeSentence draft={draft} origin={published ? {} : programme.origin} problems={problems} disabled={!mayChange}
        onChange={(field, value) => {
          publish.reset();
          setDraft((d) => ({ ...d, [field]: value }));
        }} />
      <div className="try">
        <label>
          On{" "}
          <select value={weather} onChange={(e) => setWeather(e.target.value as Weather)} aria-label="Weather of the simulated day">
            {WEATHERS.map((w) => <option key={w.code} value={w.code}>{w.label}</option>)}
          </select>
        </label>{" "}
        {shown ? <Outcome day={shown} /> : <span className="quiet">the day is being simulated…</span>}
      </div>
      {simulated.isError && <p role="alert" className="error">{problemOf(simulated.error)}</p>}
      {shown && <DayRibbon data={fromSimulation(shown, draft.low, draft.high, programme.capacity)} zone={watch.time_zone} label={`Simulated day of bed ${bed.name}`} height={250} />}
      {othersPublished && (
        <p role="alert" className="error">
          Someone published version {base} while you were editing version {(draft.number ?? 0) + 1}. Your numbers are still here.{" "}
          <button type="button" className="quiet-button" onClick={() => published && setDraft({ ...published })}>Take theirs</button>{" "}
          <button type="button" className="quiet-button" onClick={() => setDraft((d) => ({ ...d, number: base }))}>Keep mine on top of theirs</button>
        </p>
      )}
      <div className="actions">
        {mayChange && (
          <button type="button" className="button primary" disabled={!changed || publish.isPending || othersPublished} onClick={() => publish.mutate(undefined, { onSuccess: (v) => setDraft((d) => ({ ...d, number: v.number })) })}>
            {publish.isPending ? "Publishing…" : `Publish version ${base + 1}, from now`}
          </button>
        )}
        {mayChange && changed && published && <button type="button" className="button" onClick={() => setDraft({ ...published })}>Back to version {published.number}</button>}
        <span className="quiet">
          One dose of {fixed(draft.dose_ml_per_plant, 0)} mL is {shown ? <Fig figure={shown.seconds} label="seconds of one pulse" /> : "…"}, {programme.seconds.source}.
        </span>
      </div>
      {publish.isSuccess && !changed && <p role="status" className="done">Version {base} is published. It acts from the next minute; the slip says why each pulse is given or withheld.</p>}
      {refusals && Object.keys(problems).length === 0 && <p role="alert" className="error">{refusals.message}</p>}
      {refusals && refusals.errors.length > 0 && <ul role="alert" className="error">{refusals.errors.map((e) => <li key={e.field + e.expected}>{e.message}</li>)}</ul>}
      {mayChange && <Suspense fallback={null}><BedActions bed={bed} /></Suspense>}
      <p className="quiet">Software is no safety device: keep the hard-wired float switch and the overflow pipe. Pressure off before you open a line.</p>
    </>
  );
}

function headline(p: ProgrammeOut, zone: string, changed: boolean): string {
  const latest = p.versions[0];
  if (!latest) return "No programme yet. This is a proposal from the bed, its medium, capacity and flow; point at a number to see where it comes from.";
  const since = `Version ${latest.number}, published ${dayName(latest.published_at, zone)} ${clock(latest.published_at, zone)} by ${latest.published_by}.`;
  return changed ? `${since} You are editing version ${latest.number + 1}.` : since;
}

function Outcome({ day }: { day: Simulated }) {
  return (
    <span>
      it would give <b>{day.pulses.length} pulses, {millilitres(day.dose_ml)}</b> per plant, drain <b>{percent(day.drain_share, 0)}</b>, peak {percent(day.peak)}, night
      fall {fixed(day.night_fall_points, 1)} points; pore salts end at {withUnit(day.end_pore_ec_ms_cm, "mS/cm", 1)}.
      {day.fault && <b className="tone-clay"> It stops with a missed target: the dose or the tries are too small for such a day.</b>}
    </span>
  );
}
