import { useNavigate } from "react-router";
import type { BedNow } from "../../api/client";
import { useLines } from "../../api/queries";
import { SmallRibbon } from "../../drawings/SmallRibbon";
import type { StageProps } from "../../frame/Frame";
import { waterView } from "../../units/choice";
import { age, fixed, millilitres, percent, withUnit } from "../../units/format";

/** The whole house: who needs a person first, then every bed in a line. */
export function WatchHouse({ watch }: StageProps) {
  const lines = useLines(watch.site);
  const beds = [...watch.beds].sort((a, b) => b.urgent - a.urgent);
  return (
    <>
      <h1>{watch.name}, now</h1>
      <p className="lead">{watch.sentence}</p>
      <p className="narrow-only quiet">
        {watch.air.map((a) => `${a.name}: ${withUnit(a.air_temp.value, "°C", 1)}, ${fixed(a.humidity.value, 0)} %, VPD ${withUnit(a.vpd.value, "kPa", 2)}, ${age(a.air_temp.at, watch.now)}. `)}
        {watch.tanks.map((t) => `${t.name}: ${fixed(t.content.value, 0)} L, ${t.words}. `)}
      </p>
      {beds.length === 0 ? (
        <EmptyHouse />
      ) : (
        <ul className="house-list">
          {beds.map((bed) => (
            <li key={bed.id} className={`status-row-${bed.status}`}>
              <BedLine bed={bed} now={watch.now} drawing={lines.data ? <SmallRibbon bed={bed} lines={lines.data} /> : <span className="small-ribbon" />} />
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

function EmptyHouse() {
  const go = useNavigate();
  return (
    <p>
      <button type="button" className="button primary" onClick={() => go("/layout")}>Lay out the first bed</button>
    </p>
  );
}

const WATER_WORDS: Record<string, string> = { relative: " of usable" };

function BedLine({ bed, now, drawing }: { bed: BedNow; now: string; drawing: React.ReactNode }) {
  const go = useNavigate();
  const figure = bed[waterView() as "theta" | "relative" | "water" | "raw"];
  return (
    <div className="bed-line">
      <button type="button" className="bed-name" onClick={() => go(`/watch/${bed.id}`)}>
        <b>Bed {bed.name}</b>
        <span className="quiet">{bed.crop.split(" ").at(-1)}, {bed.substrate}</span>
      </button>
      {drawing}
      <div className="bed-water">
        <b>{figure.value === null ? "–" : fixed(figure.value, figure.digits)}</b>
        <span className="quiet">{figure.value === null ? bed.status_words : `${figure.unit}${WATER_WORDS[waterView()] ?? ""}, ${age(figure.at, now)}`}</span>
      </div>
      <div className="bed-says">
        <p className={`says status-${bed.status}`}>{bed.heading}</p>
        <p className="quiet">{bed.detail || facts(bed)}</p>
      </div>
      <div className="bed-todo">
        {bed.todo && (
          <button type="button" className="todo" onClick={() => go(`/${bed.todo_stage}/${bed.id}`)}>{bed.todo}</button>
        )}
      </div>
    </div>
  );
}

function facts(bed: BedNow): string {
  const parts = [`${bed.pulses_today} pulses, ${millilitres(bed.given.value ?? 0)} per plant today`];
  if (bed.low !== null && bed.high !== null) parts.push(`band ${fixed(bed.low * 100, 0)} to ${percent(bed.high, 0)}`);
  if (bed.drain.value !== null) parts.push(`drain ${fixed(bed.drain.value, 0)} %`);
  if (bed.pore_ec.value !== null) parts.push(`pore ${withUnit(bed.pore_ec.value, "mS/cm", 1)}`);
  return `${parts.join("; ")}.`;
}
