import { scaleLinear } from "d3-scale";
import { problemOf, type LineDay } from "../../api/client";
import type { StageProps } from "../../frame/Frame";
import { usePumpLines } from "../../api/queries";
import { useWidth } from "../../drawings/useWidth";
import { colour } from "../../theme";
import { age, clock, counted, fixed, seconds } from "../../units/format";

/** Each pump's day: which bed ran when, what waits for it and why. */
export default function LinePart({ watch }: StageProps) {
  const lines = usePumpLines(watch.site);
  if (!lines.data) return lines.isError ? <p role="alert" className="error">{problemOf(lines.error)}</p> : <p className="quiet">Reading the lines…</p>;
  const waiting = lines.data.flatMap((l) => l.waiting);
  return (
    <>
      <h1>The line of each pump today</h1>
      <p className="lead">{waiting.length === 0 ? "No bed waits for its pump." : `${waiting.length === 1 ? "Bed" : "Beds"} ${counted(waiting.map((w) => w.name))} ${waiting.length === 1 ? "waits" : "wait"} for the pump.`}</p>
      {lines.data.map((l) => <Line key={l.pump} line={l} zone={watch.time_zone} now={watch.now} />)}
      <p className="quiet">Beds run together while the pump gives enough; the one furthest under its low goes first, and ten minutes of waiting count as one point, so that none is passed over for ever.</p>
    </>
  );
}

function Line({ line, zone, now }: { line: LineDay; zone: string; now: string }) {
  const [box, width] = useWidth<HTMLDivElement>(720);
  const beds = [...new Map([...line.runs, ...line.waiting].map((r) => [r.bed, r.name])).entries()];
  const start = Date.parse(line.start);
  const end = Math.max(start + 86_400_000, Date.parse(line.now));
  const left = 56;
  const x = scaleLinear([start, end], [left, width - 12]);
  const height = 22 * Math.max(1, beds.length) + 26;
  return (
    <section className="pump-line" aria-label={line.name}>
      <div className="section-head">
        <h2>{line.name}</h2>
        <span className="quiet">{fixed(line.busy_l_min, 1)} of {fixed(line.flow_l_min, 1)} L/min now; {line.starts} starts, {fixed(line.hours, 1)} h today; {line.starts_ever} starts, {fixed(line.hours_ever, 1)} h on record</span>
      </div>
      <div ref={box}>
        {beds.length === 0 ? <p className="quiet">Nothing ran today.</p> : (
          <svg width={width} height={height} role="img" aria-label={`${line.runs.length} runs of ${beds.length} beds since midnight`}>
            {[0, 6, 12, 18, 24].map((h) => (
              <g key={h}>
                <line x1={x(start + h * 3_600_000)} x2={x(start + h * 3_600_000)} y1="0" y2={height - 20} stroke={colour.line} />
                <text x={x(start + h * 3_600_000)} y={height - 5} textAnchor={h === 24 ? "end" : "middle"} className="axis">{h === 24 ? "24:00" : clock(start + h * 3_600_000, zone)}</text>
              </g>
            ))}
            {beds.map(([id, name], i) => (
              <g key={id}>
                <text x={left - 8} y={22 * i + 16} textAnchor="end" className="axis">bed {name}</text>
                {line.runs.filter((r) => r.bed === id).map((r) => (
                  <rect key={r.start} x={x(Date.parse(r.start))} y={22 * i + 4} height="15" width={Math.max(2.5, x(Date.parse(r.start) + r.seconds * 1000) - x(Date.parse(r.start)))} fill={r.state === "running" ? colour.reed : colour.water}>
                    <title>{`bed ${name}, ${clock(r.start, zone)}: ${seconds(r.seconds)}, ${fixed(r.flow_l_min, 1)} L/min`}</title>
                  </rect>
                ))}
              </g>
            ))}
            <line x1={x(Date.parse(line.now))} x2={x(Date.parse(line.now))} y1="0" y2={height - 20} stroke={colour.ink} strokeDasharray="3 3" />
          </svg>
        )}
      </div>
      {line.waiting.length > 0 && (
        <ol className="waiting-list">
          {line.waiting.map((w) => <li key={w.bed}><b>Bed {w.name}</b> waits since {age(w.since, now)}; {w.under_points === null ? "no reading" : w.under_points > 0 ? `${fixed(w.under_points, 1)} points under its low` : `${fixed(-w.under_points, 1)} points over its low`}; it takes {fixed(w.flow_l_min, 1)} L/min.</li>)}
        </ol>
      )}
    </section>
  );
}
