import { lazy, Suspense } from "react";
import { useNavigate } from "react-router";
import { problemOf, type BedNow, type Day, type Figure } from "../../api/client";
import { useDays, useRibbon } from "../../api/queries";
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
      {ribbon.data && <DayRibbon data={fromRecord(ribbon.data)} zone={watch.time_zone} label={`Day ribbon of bed ${bed.name}`} height={390} />}
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
