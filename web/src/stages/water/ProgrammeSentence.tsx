import type { Dose, Programme, ProgrammeProblem, Trigger, TriggerKind } from "../../api/client";
import { InPlace, Pick, Times } from "./InPlace";
import { atPath, nameOf, shapeOf, shownAt, TRIGGERS, withPath } from "./settings";

export interface SentenceProps {
  draft: Programme;
  origin: Record<string, string>;
  problems: ProgrammeProblem[];
  disabled: boolean;
  /** What is measured for this bed, of what a trigger may ask for. */
  has: string[];
  dose: number | null;
  open: boolean;
  onChange: (next: Programme) => void;
}

const DOSE_KINDS: { value: Dose["kind"]; text: string }[] = [
  { value: "ml", text: "mL per plant" }, { value: "share", text: "% of the substrate" }, { value: "seconds", text: "seconds" }, { value: "to_top", text: "back to the top of the band" },
];

/** A programme as a readable paragraph whose numbers and choices are edited in place. */
export function ProgrammeSentence(p: SentenceProps) {
  const { draft, disabled } = p;
  const set = (path: string, value: Parameters<typeof withPath>[2]) => p.onChange(withPath(draft, path, value));
  const number = (path: string, label: string) => (
    <InPlace key={path} value={Number(atPath(draft, path))} shape={shapeOf(draft, path)} label={label} origin={p.origin[path]} problem={p.problems.find((q) => q.field === path)?.message} disabled={disabled}
      onChange={(v) => set(path, v)} />
  );
  return (
    <div className="sentence">
      <p>
        <b>The day begins</b> <Moment {...p} path="start" set={set} number={number} />. {draft.recharge === null ? (
          <>It is not recharged first{p.disabled ? "." : <>; <SwitchOn text="recharge it" onClick={() => set("recharge", { dose: { ...draft.dose }, gap_min: Math.max(2, Math.round(draft.soak_min / 2)), until: "top", pulses: 8 })} />.</>}</>
        ) : (
          <>
            First it is <b>recharged</b>: <DoseWords {...p} path="recharge.dose" measured={draft.recharge.dose} set={set} number={number} />, at least {number("recharge.gap_min", "Gap of the recharge in minutes")} apart,{" "}
            <Pick label="What ends the recharge" value={draft.recharge.until} disabled={disabled} onChange={(v) => set("recharge.until", v)}
              options={[{ value: "top", text: "until the top of the band" }, { value: "drain", text: "until the first drain" }, { value: "pulses", text: "so many times" }]} />
            , {number("recharge.pulses", "Pulses of the recharge")} pulses at most{!disabled && <>; <SwitchOn text="leave it out" onClick={() => set("recharge", null)} /></>}.
          </>
        )}
      </p>
      <p>
        <b>Then it is held</b> between {number("low", "Low in % v/v")} and {number("high", "High in % v/v")}: when <Triggers {...p} set={set} number={number} />, <b>give</b>{" "}
        <DoseWords {...p} path="dose" measured={draft.dose} set={set} number={number} />, then wait at least {number("soak_min", "Soak in minutes")} for it to spread, and look again
        {draft.triggers.some((t) => t.kind === "below_low") && (
          <>; <Pick label="After a pulse below the low" value={draft.latch ? "yes" : "no"} disabled={disabled} onChange={(v) => set("latch", v === "yes")} options={[{ value: "yes", text: "pulse on until it is back at the high" }, { value: "no", text: "one pulse each time" }]} /></>
        )}
        {draft.largest_gap_min > 0 ? <>; never longer than {number("largest_gap_min", "Longest gap in minutes")} without a pulse{!disabled && <> (<SwitchOn text="no limit" onClick={() => set("largest_gap_min", 0)} />)</>}</> : !disabled && p.open && <>; <SwitchOn text="set a longest gap" onClick={() => set("largest_gap_min", 180)} /></>}.
      </p>
      <p>
        <b>It dries down</b> <Moment {...p} path="stop" set={set} number={number} />: then nothing is given but a rescue below {number("rescue", "Rescue level in % v/v")}.
      </p>
      {p.open && <Limits {...p} set={set} number={number} />}
      <Problems {...p} />
    </div>
  );
}

type Set = (path: string, value: Parameters<typeof withPath>[2]) => void;
type NumberAt = (path: string, label: string) => React.ReactNode;
type Part = SentenceProps & { set: Set; number: NumberAt };

const FIRST_MOMENT: Record<string, number> = { "start.sun": 120, "start.clock": 420, "start.light": 60, "start.fall": 0.04, "stop.sun": 90, "stop.clock": 1080, "stop.light": 80, "stop.fall": 0.06 };

function Moment({ draft, disabled, path, set, number }: Part & { path: "start" | "stop" }) {
  const starts = path === "start";
  const kind = draft[path].kind;
  const options: { value: Programme["start"]["kind"]; text: string }[] = starts
    ? [{ value: "sun", text: "after sunrise by" }, { value: "clock", text: "at the clock time" }, { value: "light", text: "with the first light of" }, { value: "fall", text: "once it has fallen overnight by" }]
    : [{ value: "sun", text: "before sunset by" }, { value: "clock", text: "at the clock time" }, { value: "light", text: "when the light falls under" }, { value: "fall", text: "in time to fall overnight by" }];
  return (
    <>
      <Pick label={starts ? "How the start is found" : "How the stop is found"} value={kind} disabled={disabled} options={options}
        onChange={(v) => set(path, { kind: v, value: FIRST_MOMENT[`${path}.${v}`] ?? 60 })} />{" "}
      {number(`${path}.value`, starts ? "Start" : "Stop")}
    </>
  );
}

function DoseWords({ draft, disabled, path, measured, set, number }: Part & { path: "dose" | "recharge.dose"; measured: Dose }) {
  const volumes: Record<Dose["kind"], number> = { ml: 100, share: 0.03, seconds: 120, to_top: 0 };
  return (
    <>
      {measured.kind !== "to_top" && number(`${path}.value`, `${path === "dose" ? "Dose" : "Dose of the recharge"} in ${DOSE_KINDS.find((k) => k.value === measured.kind)?.text ?? ""}`)}{" "}
      <Pick label={path === "dose" ? "How the dose is measured" : "How the dose of the recharge is measured"} value={measured.kind} disabled={disabled} options={DOSE_KINDS} onChange={(v) => set(path, { kind: v, value: v === draft.dose.kind ? draft.dose.value : volumes[v] })} />
    </>
  );
}

function Triggers({ draft, disabled, has, set, number }: Part) {
  const used = new Set(draft.triggers.map((t) => t.kind));
  const free = (Object.keys(TRIGGERS) as TriggerKind[]).filter((k) => !used.has(k));
  const add = (kind: TriggerKind) => set("triggers", [...draft.triggers, { kind, value: TRIGGERS[kind].first, times: kind === "clock" ? [480, 720, 960] : [] }]);
  return (
    <span className="triggers">
      {draft.triggers.length > 1 && (
        <>
          <Pick label="Any or all of them" value={draft.match} disabled={disabled} onChange={(v) => set("match", v)} options={[{ value: "any", text: "any of these holds:" }, { value: "all", text: "all of these hold:" }]} />{" "}
        </>
      )}
      {draft.triggers.map((t, i) => (
        <span key={t.kind} className="trigger">
          {i > 0 && (draft.match === "any" ? " or " : " and ")}
          <TriggerWords trigger={t} index={i} disabled={disabled} set={set} number={number} />
          {!has.includes(t.kind) && <span className="error"> (not measured here)</span>}
          {!disabled && draft.triggers.length > 1 && <button type="button" className="drop" aria-label={`Leave out: ${TRIGGERS[t.kind].says}`} onClick={() => set("triggers", draft.triggers.filter((o) => o !== t))}>×</button>}
        </span>
      ))}
      {!disabled && free.length > 0 && (
        <select className="pick add" aria-label="Add a trigger" value="" onChange={(e) => e.target.value && add(e.target.value as TriggerKind)}>
          <option value="">+ or when…</option>
          {free.map((k) => <option key={k} value={k}>{TRIGGERS[k].says}{has.includes(k) ? "" : ", not measured here"}</option>)}
        </select>
      )}
    </span>
  );
}

function TriggerWords({ trigger, index, disabled, set, number }: { trigger: Trigger; index: number; disabled: boolean; set: Set; number: NumberAt }) {
  const words = TRIGGERS[trigger.kind];
  if (trigger.kind === "below_low") return <>{words.name}</>;
  if (trigger.kind === "clock") return <>{words.name} <Times value={trigger.times} disabled={disabled} onChange={(v) => set(`triggers.${index}.times`, v)} /></>;
  return <>{words.name} {number(`triggers.${index}.value`, words.says)}</>;
}

function Limits({ draft, disabled, set, number }: Part) {
  return (
    <>
      <p>
        <b>Never</b> more than {number("daily_cap_ml_per_plant", "Daily cap in mL per plant")} per plant a day, {number("hourly_cap_ml_per_plant", "Hourly cap in mL per plant")} an hour, {number("pulses_per_day", "Pulses a day")} pulses a day, and
        nothing on a reading older than {number("stale_after_s", "Oldest reading in minutes")}. After {number("tries", "Tries")} pulses that do not bring it there, stop and call a person.
      </p>
      <p>
        {draft.fallback === null ? <>Without a reading it stops{!disabled && <>; <SwitchOn text="go by the clock for a while" onClick={() => set("fallback", { share: 0.6, hours: 24 })} /></>}.</> : (
          <><b>Without a reading</b> its other probes count; then {number("fallback.share", "Share without a reading in %")} of its usual day by the clock for {number("fallback.hours", "Hours without a reading")}, then nothing{!disabled && <> (<SwitchOn text="stop at once" onClick={() => set("fallback", null)} />)</>}.</>
        )}{" "}
        {draft.drain === null ? <>Its drain is not steered{!disabled && <>; <SwitchOn text="steer it" onClick={() => set("drain", { share: 0.2, moves: "dose", gain: 0.5, bound: 0.15, frozen: false })} /></>}.</> : (
          <>
            <b>Drain</b> is wanted at {number("drain.share", "Wanted drain in %")}: a day’s share moves the next day’s{" "}
            <Pick label="What drain moves" value={draft.drain.moves} disabled={disabled} onChange={(v) => set("drain.moves", v)} options={[{ value: "dose", text: "dose" }, { value: "gap", text: "gap" }]} /> by at most {number("drain.bound", "Correction a day in %")}
            {!disabled && <>; <Pick label="Correction" value={draft.drain.frozen ? "frozen" : "moves"} disabled={disabled} onChange={(v) => set("drain.frozen", v === "frozen")} options={[{ value: "moves", text: "the correction goes on" }, { value: "frozen", text: "the correction is frozen" }]} /> (<SwitchOn text="do not steer it" onClick={() => set("drain", null)} />)</>}.
          </>
        )}{" "}
        {draft.rain === null ? !disabled && <><SwitchOn text="Let rain hold it" onClick={() => set("rain", { hold_min: 60, credit_share: 0.7 })} />.</> : (
          <><b>Rain</b> holds it for {number("rain.hold_min", "Rain hold in minutes")} and {number("rain.credit_share", "Rain counted in %")} of it counts as given{!disabled && <> (<SwitchOn text="not in the open" onClick={() => set("rain", null)} />)</>}.</>
        )}
      </p>
    </>
  );
}

const SwitchOn = ({ text, onClick }: { text: string; onClick: () => void }) => <button type="button" className="in-words" onClick={onClick}>{text}</button>;

function Problems({ draft, problems, disabled, onChange }: SentenceProps) {
  if (problems.length === 0) return null;
  return (
    <ul className="error" role="alert">
      {problems.map((q) => (
        <li key={q.field + q.message}>
          <b>{nameOf(draft, q.field)}</b>: {q.message}
          {q.nearest !== null && !disabled && (
            <>. <button type="button" className="in-words" onClick={() => onChange(withPath(draft, q.field, q.nearest))}>Take {shownAt(draft, q.field, q.nearest)}</button></>
          )}
        </li>
      ))}
    </ul>
  );
}
