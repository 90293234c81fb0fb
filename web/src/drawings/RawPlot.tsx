import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { BenchLive } from "../api/client";
import { colour } from "../theme";
import { clock, fixed } from "../units/format";

/** The raw count of the last minutes. */
export function RawPlot({ live: bench, zone }: { live: BenchLive; zone: string }) {
  const times = bench.times.map((t) => Date.parse(t));
  const first = times[0];
  const last = times.at(-1);
  if (first === undefined || last === undefined || times.length < 2) return <p className="quiet">Waiting for readings of this sensor…</p>;
  const least = Math.min(...bench.raws);
  const most = Math.max(...bench.raws);
  const pad = Math.max(bench.span_raw * 0.004, (most - least) * 0.08);
  const digits = bench.span_raw > 200 ? 0 : 2;
  const x = scaleLinear([first, last], [58, 396]);
  const y = scaleLinear([least - pad, most + pad], [112, 8]);
  const d = line<number>().x((_, i) => x(times[i] ?? first)).y((v) => y(v))(bench.raws) ?? "";
  return (
    <svg viewBox="0 0 400 136" className="raw-plot" role="img" aria-label={`Reading since ${clock(first, zone)}, now ${fixed(bench.raw, digits)}`}>
      <rect x="58" y="8" width="338" height="104" fill={colour.paper} />
      <path d={d} fill="none" stroke={colour.ink} strokeWidth="1.8" />
      <text x="54" y="18" textAnchor="end" className="axis">{fixed(most, digits)}</text>
      <text x="54" y="112" textAnchor="end" className="axis">{fixed(least, digits)}</text>
      <text x="58" y="130" className="axis">{clock(first, zone)}</text>
      <text x="396" y="130" textAnchor="end" className="axis">now {clock(last, zone)}</text>
    </svg>
  );
}
