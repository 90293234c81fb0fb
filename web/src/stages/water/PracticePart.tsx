import { useState } from "react";
import { api, problemOf, take, type Schemas } from "../../api/client";
import { useChange, useDrills } from "../../api/queries";
import { DayRibbon } from "../../drawings/DayRibbon";
import type { RibbonData } from "../../drawings/ribbonScales";
import { fixed } from "../../units/format";
import { Pick } from "./InPlace";

type Drill = Schemas["Drill"];

/** Practice on stand-in beds with a hidden fault: look, decide, and see what the record would have told. */
export default function PracticePart() {
  const list = useDrills();
  const [drill, setDrill] = useState<Drill | null>(null);
  const begin = useChange((code: string) => take(api.POST("/api/drills/begin/", { body: { drill: code } })), "drills");
  if (drill) return <Open drill={drill} onChange={setDrill} onLeave={() => setDrill(null)} />;
  return (
    <>
      <h1>Practice</h1>
      <p className="lead">A stand-in bed, two days of its record, and something wrong with it. Look at what you would look at in the house, then say what it is and what you would do. Nothing here opens a valve.</p>
      <ul className="probe-list">
        {list.data?.map((d, i) => (
          <li key={d.code}>
            <span><b>Bed in trouble {i + 1}</b> <span className="quiet">{d.best === null ? "not tried yet" : `best ${d.best} of 100 in ${d.tries} ${d.tries === 1 ? "try" : "tries"}`}</span></span>
            <button type="button" className="button" onClick={() => begin.mutate(d.code, { onSuccess: setDrill })}>{d.best === null ? "Begin" : "Again"}</button>
          </li>
        ))}
      </ul>
      {begin.isError && <p role="alert" className="error">{problemOf(begin.error)}</p>}
    </>
  );
}

function Open({ drill, onChange, onLeave }: { drill: Drill; onChange: (d: Drill) => void; onLeave: () => void }) {
  const [cause, setCause] = useState("");
  const [remedy, setRemedy] = useState("");
  const path = { params: { path: { run_id: drill.run } } };
  const look = useChange((code: string) => take(api.POST("/api/drills/runs/{run_id}/look/", { ...path, body: { look: code } })));
  const say = useChange(() => take(api.POST("/api/drills/runs/{run_id}/answer/", { ...path, body: { cause: cause as never, remedy: remedy as never } })), "drills");
  const over = drill.points !== null;
  const seen = drill.looks.filter((l) => l.shows);
  return (
    <>
      <h1>A bed in trouble</h1>
      <p className="lead">{drill.story}</p>
      <DayRibbon data={ribbonOf(drill)} zone="UTC" label="Two days of the bed’s record" height={220} />
      {over && <p className="quiet">Solid: what the probe showed. Dotted: the water as it was.</p>}
      <div className="drill">
        <section aria-label="Look">
          <h2>Look <span className="quiet">{fixed(drill.minutes, 0)} minutes spent</span></h2>
          <ul className="looks">
            {drill.looks.map((l) => (
              <li key={l.code}>
                {l.shows ? <><b>{l.name}</b>: {l.shows}</> : <button type="button" className="button" disabled={look.isPending || over} onClick={() => look.mutate(l.code, { onSuccess: onChange })}>{l.name} <span className="quiet">{l.minutes} min</span></button>}
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="Decide">
          <h2>Decide</h2>
          {!over ? (
            <>
              <p className="sentence">
                It is that{" "}
                <Pick label="What it is" value={cause} disabled={false} onChange={setCause} options={[{ value: "", text: "choose" }, ...drill.causes.map((c) => ({ value: c.code, text: c.name }))]} />, and I would{" "}
                <Pick label="What to do" value={remedy} disabled={false} onChange={setRemedy} options={[{ value: "", text: "choose" }, ...drill.remedies.map((r) => ({ value: r.code, text: r.name }))]} />.
              </p>
              <button type="button" className="button primary" disabled={!cause || !remedy || say.isPending} onClick={() => say.mutate(undefined, { onSuccess: onChange })}>That is my answer</button>
              {seen.length === 0 && <p className="quiet">Nothing looked at yet: an answer now would be a guess, and counts half.</p>}
            </>
          ) : (
            <>
              <p className="score" role="status"><b>{drill.points}</b> of 100</p>
              <ul>{drill.words.map((w) => <li key={w}>{w}</li>)}</ul>
              <p><b>What the record would have told.</b> {drill.record}</p>
              <button type="button" className="button primary" onClick={onLeave}>To the others</button>
            </>
          )}
          {(look.isError || say.isError) && <p role="alert" className="error">{problemOf(look.error ?? say.error)}</p>}
          {!over && <button type="button" className="quiet-button" onClick={onLeave}>leave it</button>}
        </section>
      </div>
    </>
  );
}

function ribbonOf(d: Drill): RibbonData {
  const start = Date.parse(d.start);
  const stepMs = d.step_min * 60_000;
  return {
    start, sunrise: start + 4.5 * 3_600_000, end: start + d.seen.length * stepMs, now: null, stepMs, low: d.low, high: d.high, capacity: 0.81, theta: d.seen,
    pegs: d.pulses.map((p) => ({ at: start + Number(p[0]) * 60_000, ml: Number(p[1]), state: "done" })), drops: [],
    ...(d.true.length ? { ahead: { start, stepMs, theta: d.true, pegs: [], from: null, to: null } } : {}),
  };
}
