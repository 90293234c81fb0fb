import { lazy, Suspense, useState } from "react";
import { useNavigate } from "react-router";
import { problemOf, type BedNow, type Day, type Figure, type Ribbon } from "../../api/client";
import { useDays, useRibbon, useWhy } from "../../api/queries";
import { DayRibbon } from "../../drawings/DayRibbon";
import { fromRecord } from "../../drawings/ribbonData";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { clock, fixed, millilitres, percent } from "../../units/format";

const BedActions = lazy(() => import("./BedActions"));

/** One bed today: a sentence, the day ribbon, what was given and drained, and yesterday to compare with. */
export function WatchBed({ watch, bed, mayChange }: StageProps & { bed: BedNow }) {
  const ribbon = useRibbon(bed.id);
  const days = useDays(bed.id);
  const go = useNavigate();
  const [picked, setPicked] = useState<string | null>(null);
  const evening = ribbon.data?.forecast?.evening_theta;
  return (
    <>
      <h1>Bed {bed.name}, {bed.crop} on {bed.substrate}</h1>
      <p className="lead">
        {bed.theta.value !== null && `Water content ${fixed(bed.theta.value, 1)} %. `}
        {bed.heading} {bed.detail}
        {evening !== null && evening !== undefined && ` At sunset it should stand at ${percent(evening)}.`}
      </p>
      {bed.todo && (
        <p><button type="button" className="todo" onClick={() => go(`/${bed.todo_stage}/${bed.id}`)}>{bed.todo}</button></p>
      )}
      {ribbon.isPending && <p className="quiet">Drawing the day…</p>}
      {ribbon.isError && <p role="alert" className="error">{problemOf(ribbon.error)}</p>}
      {ribbon.data && <DayRibbon data={fromRecord(ribbon.data)} zone={watch.time_zone} label={`Day ribbon of bed ${bed.name}`} height={390} onPick={(at) => setPicked(new Date(at).toISOString())} />}
      <WhyThen bed={bed.id} at={picked} zone={watch.time_zone} />
      {ribbon.data && ribbon.data.triggers.length > 0 && <Asking ribbon={ribbon.data} />}
      {ribbon.data && <Ahead ribbon={ribbon.data} given={bed.given.value ?? 0} />}
      <div className="facts">
        <Fact label="Water held" figure={bed.water} now={watch.now} />
        <Fact label="Of the usable water" figure={bed.relative} now={watch.now} />
        <Fact label="Given today" figure={bed.given} now={watch.now} extra={`${bed.pulses_today} pulses`} />
        <Fact label="Drain share" figure={bed.drain} now={watch.now} />
        <Fact label="Pore salts" figure={bed.pore_ec} now={watch.now} />
      </div>
      {mayChange && <Suspense fallback={null}><BedActions bed={bed} /></Suspense>}
      <p className="quiet legend">
        Peg: a pulse, as long as its dose. Dashed: forecast; the next is likely {bed.next_from && bed.next_to ? `${clock(bed.next_from, watch.time_zone)} to ${clock(bed.next_to, watch.time_zone)}` : "after the next sunset or not known"}. Drop: drain.
      </p>
      {days.data && days.data.length > 0 && <DayTable days={days.data} />}
    </>
  );
}

/** Why the bed was watered or not at the minute chosen on the ribbon. */
function WhyThen({ bed, at, zone }: { bed: number; at: string | null; zone: string }) {
  const why = useWhy(bed, at);
  if (at === null) return <p className="quiet">Choose a moment on the ribbon, by a click or Enter, to read why then.</p>;
  if (why.isError) return <p role="alert" className="error">{problemOf(why.error)}</p>;
  const w = why.data;
  return w ? <p role="status" className="why-then"><b>{clock(w.at, zone)}. {w.heading}</b> {w.body}{w.since && <span className="quiet"> Decided {clock(w.since, zone)} and unchanged until then{w.programme === null ? "" : `, programme ${w.programme}`}.</span>}</p> : <p className="quiet">Looking it up…</p>;
}

const ASKS: Record<string, string> = { fallen: "fallen since the peak", suction: "suction", light_sum: "light since the last pulse", vpd_hours: "VPD-hours since the last pulse", water_use: "modelled use since the last pulse", elapsed: "time since the last pulse" };

/** How far each trigger of the programme is on its way to the next pulse. */
function Asking({ ribbon }: { ribbon: Ribbon }) {
  return (
    <ul className="asking" aria-label="What asks for the next pulse">
      {ribbon.triggers.map((t) => (
        <li key={t.kind}>
          <span>{ASKS[t.kind] ?? t.kind}: <b>{t.value === null ? "not measured" : `${fixed(t.value, t.limit < 10 ? 1 : 0)} of ${fixed(t.limit, t.limit < 10 ? 1 : 0)} ${t.unit}`}</b></span>
          <span className="asking-bar" aria-hidden="true"><i style={{ width: `${Math.min(100, Math.max(0, ((t.value ?? 0) / t.limit) * 100))}%` }} /></span>
        </li>
      ))}
    </ul>
  );
}

/** The rest of the day as it is forecast, and how yesterday's forecast came true. */
function Ahead({ ribbon, given }: { ribbon: Ribbon; given: number }) {
  const f = ribbon.forecast;
  const s = ribbon.scored;
  if (!f && !s) return null;
  return (
    <p>
      {f && <><b>Still to come today:</b> {f.pulses.length} pulses, {millilitres(f.dose_ml)} per plant, making {millilitres(given + f.dose_ml)}; about {millilitres(f.drain_ml)} of it drain; tonight it should fall {fixed(f.night_fall_points, 1)} points. </>}
      {s ? <span className="quiet">The last morning’s forecast said {s.said_pulses} pulses and {millilitres(s.said_ml)}; {s.got_pulses} and {millilitres(s.got_ml)} came: {fixed(s.score * 100, 0)} of 100, {fixed(s.mean_score * 100, 0)} on average over {s.days} {s.days === 1 ? "day" : "days"}.</span> : <span className="quiet">No forecast has been scored yet: the first is kept at sunrise and held against the day after midnight.</span>}
    </p>
  );
}

function Fact({ label, figure, now, extra }: { label: string; figure: Figure; now: string; extra?: string }) {
  return (
    <div className="fact">
      <span className="quiet">{label}</span>
      <Fig figure={figure} now={now} label={label} big source />
      {extra && <span className="visually-hidden">{extra}</span>}
    </div>
  );
}

function DayTable({ days }: { days: Day[] }) {
  return (
    <table className="plain-table">
      <caption>Day by day</caption>
      <thead>
        <tr>
          <th scope="col">Day</th><th scope="col">Pulses</th><th scope="col">Given per plant</th><th scope="col">Drain</th><th scope="col">Peak</th>
          <th scope="col">Night fall</th><th scope="col">Light sum</th>
        </tr>
      </thead>
      <tbody>
        {days.map((d) => (
          <tr key={d.day}>
            <th scope="row">{new Date(`${d.day}T12:00:00Z`).toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" })}</th>
            <td>{d.pulses}</td>
            <td>{millilitres(d.dose_ml)}</td>
            <td>{percent(d.drain_share, 0)}</td>
            <td>{percent(d.peak)}</td>
            <td>{d.night_fall_points === null ? "–" : `${fixed(d.night_fall_points, 1)} points`}</td>
            <td>{d.light_sum_j_cm2 === null ? "–" : `${fixed(d.light_sum_j_cm2, 0)} J/cm²`}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
