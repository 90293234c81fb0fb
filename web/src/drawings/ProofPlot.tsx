import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Proof } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";

/** The test as a curve: raw over time, with the moments when the sensor was moved. */
export function ProofPlot({ proof }: { proof: Proof }) {
  const points = proof.plot as [number, number][];
  const last = points.at(-1);
  const first = points[0];
  if (!first || !last || points.length < 2) return <p className="quiet">Waiting for readings of this channel…</p>;
  const values = points.map((p) => p[1]);
  const least = Math.min(...values);
  const most = Math.max(...values);
  const pad = Math.max((most - least) * 0.08, 1e-6);
  const x = scaleLinear([0, Math.max(last[0], 30)], [62, 506]);
  const y = scaleLinear([least - pad, most + pad], [150, 12]);
  const digits = most - least > 50 ? 0 : 2;
  return (
    <svg viewBox="0 0 520 178" className="proof-plot" role="img" aria-label={`The reading over ${fixed(last[0], 0)} s, now ${fixed(last[1], digits)} ${proof.unit}`}>
      <rect x="62" y="12" width="444" height="138" fill={colour.paper} />
      {proof.starts_s.map((s, i) => (
        <g key={s}>
          <path d={`M${x(s)} 12 V150`} stroke={colour.ink} strokeDasharray={i === 0 ? undefined : "5 4"} />
          <text x={x(s) + 4} y="24" className="axis">{proof.phases[i]?.instruction}</text>
        </g>
      ))}
      <path d={line<[number, number]>().x((p) => x(p[0])).y((p) => y(p[1]))(points) ?? ""} fill="none" stroke={colour.water} strokeWidth="2" />
      <text x="58" y="22" textAnchor="end" className="axis">{fixed(most, digits)}</text>
      <text x="58" y="150" textAnchor="end" className="axis">{fixed(least, digits)}</text>
      <text x="62" y="170" className="axis">0 s</text>
      <text x="506" y="170" textAnchor="end" className="axis">{fixed(last[0], 0)} s</text>
    </svg>
  );
}
