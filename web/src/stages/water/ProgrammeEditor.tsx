import { lazy, Suspense, useDeferredValue, useState } from "react";
import { api, problemOf, take, type BedNow, type Programme, type ProgrammeOut, type ProgrammeProblem, type Tried, type Watch } from "../../api/client";
import { useRecordedDays, useTried } from "../../api/queries";
import { DayRibbon } from "../../drawings/DayRibbon";
import { fromSimulation } from "../../drawings/ribbonData";
import { TriggerTracks } from "../../drawings/TriggerTracks";
import { Fig } from "../../frame/Fig";
import { clock, dayName, fixed, millilitres, percent, withUnit } from "../../units/format";
import { DrainPart } from "./DrainPart";
import { LeanPart } from "./LeanPart";
import { ProgrammeSentence } from "./ProgrammeSentence";
import { useDraft, useSettled } from "./useDraft";

const BedActions = lazy(() => import("../watch/BedActions"));
export const WEATHERS = [
  { code: "clear", label: "a clear day" }, { code: "mixed", label: "a mixed day" }, { code: "dull", label: "a dull day" }, { code: "hot", label: "a hot, dry day" },
];

interface Props {
  watch: Watch;
  bed: BedNow;
  programme: ProgrammeOut;
  mayChange: boolean;
}

/** The programme as a sentence; below it the day that it gives; publish when it is right. */
export function ProgrammeEditor({ watch, bed, programme, mayChange }: Props) {
  const d = useDraft(bed.id, programme);
  const [school, setSchool] = useState<string | null>(null);
  const [open, setOpen] = useState(false);
  const [weather, setWeather] = useState("clear");
  const [span, setSpan] = useState<"day" | "week">("day");
  const tried = useTried(bed.id, useSettled(d.draft, 40), weather, span);
  const shown = useDeferredValue(tried.data);
  const chosen = programme.schools.find((s) => s.code === school);
  const origin = chosen?.origin ?? (programme.published ? {} : programme.schools[0]?.origin ?? {});
  const published = programme.published;
  return (
    <>
      <h1>Bed {bed.name}, how it is watered</h1>
      <p className="quiet">{headline(programme, watch.time_zone, d.changed)}</p>
      {!programme.controllable && <p role="alert" className="error">This bed has no valve yet: the programme can be tried, but nothing opens. Fit one first.</p>}
      {programme.fault && <p role="alert" className="error">{programme.fault === "no_flow" ? "A fault is latched: its valve was opened and no water flowed. Check pump, filter and valve" : "A fault is latched: its pulses did not reach the target. Look for blocked drippers or a probe out of the wet zone"}, then clear it below.</p>}
      {bed.status === "uncalibrated" && <p role="alert" className="error">Its probe is not calibrated. A programme by the probe can be published, and withholds every pulse until it is.</p>}
      {mayChange && (
        <p className="schools">
          {published ? "Begin anew " : "Begin "}
          {programme.schools.map((s) => (
            <button key={s.code} type="button" className="in-words" aria-pressed={school === s.code} onClick={() => {
              setSchool(s.code);
              d.change(s.body as Programme);
            }}>{s.name}</button>
          ))}
          {chosen && <span className="school-note"> It goes by {chosen.goes_by}. <b>It suits</b> {chosen.suits}. <b className="tone-clay">It fails</b> {chosen.fails}.</span>}
        </p>
      )}
      <ProgrammeSentence draft={d.draft} origin={origin} problems={d.problems(tried.data && !tried.isPlaceholderData ? (tried.data.problems as ProgrammeProblem[]) : null)} disabled={!mayChange} has={programme.has ?? []} dose={d.checked?.dose_ml ?? null} open={open}
        onChange={d.change} />
      <p className="sentence-foot">
        <button type="button" className="in-words" aria-expanded={open} onClick={() => setOpen(!open)}>{open ? "fold the limits" : "limits, lost readings, drain and rain"}</button>
        <LeanPart draft={d.draft} leans={d.checked?.leans ?? {}} disabled={!mayChange} onTake={d.change} />
      </p>
      <DrainPart bed={bed.id} programme={programme} today={watch.now} mayChange={mayChange} />
      <div className="try">
        <label>
          Try it on{" "}
          <Weathers bed={bed.id} zone={watch.time_zone} value={span === "week" ? "week" : weather} onChange={(v) => {
            setSpan(v === "week" ? "week" : "day");
            if (v !== "week") setWeather(v);
          }} />
        </label>{" "}
        {shown?.tried ? <Outcome day={shown.tried as Tried} span={span} /> : <span className="quiet">{tried.isError ? "" : "being simulated…"}</span>}
      </div>
      {tried.isError && <p role="alert" className="error">{problemOf(tried.error)}</p>}
      {shown?.tried && (
        <>
          <DayRibbon data={fromSimulation(shown.tried as Tried, d.draft.low, d.draft.high, programme.capacity)} zone={watch.time_zone} label={`Simulated ${span} of bed ${bed.name}`} height={span === "week" ? 210 : 240} />
          <TriggerTracks day={shown.tried as Tried} zone={watch.time_zone} />
        </>
      )}
      {d.others && (
        <p role="alert" className="error">
          Someone published version {d.base} while you were editing version {d.number + 1}. Your numbers are still here.{" "}
          <button type="button" className="quiet-button" onClick={d.reset}>Take theirs</button>{" "}
          <button type="button" className="quiet-button" onClick={d.rebase}>Keep mine on top of theirs</button>
        </p>
      )}
      <div className="actions">
        {mayChange && (
          <button type="button" className="button primary" disabled={!d.changed || d.publish.isPending || d.others} onClick={() => d.publish.mutate(undefined, { onSuccess: (v) => d.done(v.number) })}>
            {d.publish.isPending ? "Publishing…" : `Publish version ${d.base + 1}, from now`}
          </button>
        )}
        {mayChange && d.changed && published && <button type="button" className="button" onClick={d.reset}>Back to version {published.number}</button>}
        <span className="quiet">One dose is {fixed(d.checked?.dose_ml, 0)} mL per plant: {shown ? <Fig figure={shown.seconds} label="seconds of one pulse" /> : "…"}, {programme.seconds.source}.</span>
      </div>
      {d.publish.isSuccess && !d.changed && <p role="status" className="done">Version {d.base} is published. It acts from the next minute; the slip says why each pulse is given or withheld.</p>}
      {d.publish.isError && <p role="alert" className="error">{problemOf(d.publish.error)}</p>}
      <Versions bed={bed.id} programme={programme} zone={watch.time_zone} mayChange={mayChange} onTake={d.change} />
      {mayChange && <Suspense fallback={null}><BedActions bed={bed} /></Suspense>}
      <p className="quiet">Software is no safety device: keep the hard-wired float switch and the overflow pipe. Pressure off before you open a line.</p>
    </>
  );
}

function headline(p: ProgrammeOut, zone: string, changed: boolean): string {
  const latest = p.versions[0];
  if (p.planned) return `The calendar rules today: ${p.planned}. What stands here acts again afterwards.`;
  if (!latest) return "No programme yet. This is a proposal from the bed, its medium, capacity and flow; point at a number to see where it comes from.";
  const since = `Version ${latest.number}, published ${dayName(latest.published_at, zone)} ${clock(latest.published_at, zone)} by ${latest.published_by}${latest.shared ? `, following ${latest.shared}` : ""}.`;
  return changed ? `${since} You are editing version ${latest.number + 1}.` : since;
}

/** Kinds of weather, a week of all of them, and the days on record. */
export function Weathers({ bed, zone, value, week = true, onChange }: { bed: number; zone: string; value: string; week?: boolean; onChange: (value: string) => void }) {
  const days = useRecordedDays(bed);
  return (
    <select value={value} onChange={(e) => onChange(e.target.value)} aria-label="Weather of the simulated day">
      {WEATHERS.map((w) => <option key={w.code} value={w.code}>{w.label}</option>)}
      {week && <option value="week">a week of all kinds</option>}
      {days.data && days.data.length > 0 && (
        <optgroup label="a day on record">
          {days.data.slice(0, 14).map((r) => <option key={r.day} value={r.day}>{dayName(`${r.day}T12:00:00Z`, zone)}, {fixed(r.light_j_cm2, 0)} J/cm²</option>)}
        </optgroup>
      )}
    </select>
  );
}

export function Outcome({ day, span }: { day: Tried; span: "day" | "week" }) {
  return (
    <span>
      it would give <b>{day.pulses.length} pulses, {millilitres(day.dose_ml)}</b> per plant, drain <b>{percent(day.drain_share, 0)}</b>, peak {percent(day.peak)},{" "}
      {span === "day" && day.night_fall_points !== null ? `night fall ${fixed(day.night_fall_points, 1)} points, ` : ""}{percent(day.in_band, 0)} of the time in its band; pore salts end at {withUnit(day.end_pore_ec_ms_cm, "mS/cm", 1)}.
      {day.fault && <b className="tone-clay"> It stops with a missed target: the dose or the tries are too small for such a day.</b>}
    </span>
  );
}

function Versions({ bed, programme, zone, mayChange, onTake }: { bed: number; programme: ProgrammeOut; zone: string; mayChange: boolean; onTake: (body: Programme) => void }) {
  if (programme.versions.length < 2) return null;
  const take_ = async (number: number) => {
    const found = await take(api.GET("/api/beds/{bed_id}/programme/versions/{number}/", { params: { path: { bed_id: bed, number } } }));
    onTake(found.body as Programme);
  };
  return (
    <details className="versions-fold">
      <summary>{programme.versions.length} versions, who and when</summary>
      <ul className="versions">
        {programme.versions.map((v) => (
          <li key={v.number}>
            <b>Version {v.number}</b>, {dayName(v.published_at, zone)} {clock(v.published_at, zone)}, {v.published_by}{v.shared ? `, following ${v.shared}` : ""}{" "}
            {mayChange && <button type="button" className="quiet-button" onClick={() => void take_(v.number)}>read it into the draft</button>}
          </li>
        ))}
      </ul>
    </details>
  );
}
