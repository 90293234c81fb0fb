import { scaleLinear } from "d3-scale";
import type { Bench } from "../api/client";
import { colour } from "../theme";
import { fixed, percent } from "../units/format";

interface Pair {
  raw: number;
  theta: number;
  noise: number;
}

/** From raw count to water content: both captured points with their scatter, the line between, and the reading now. */
export function CalibrationLine({ bench }: { bench: Bench }) {
  const taken: Pair[] = bench.points.flatMap((p) => (p.raw === null || p.theta === null ? [] : [{ raw: p.raw, theta: p.theta, noise: p.noise_raw ?? 0 }]));
  const current = bench.versions[0];
  const old: Pair[] = current ? [{ raw: current.raw_dry, theta: current.theta_dry, noise: 0 }, { raw: current.raw_wet, theta: current.theta_wet, noise: 0 }] : [];
  const shown = taken.length ? taken : old;
  const raws = [...shown.map((p) => p.raw), ...old.map((p) => p.raw), ...(bench.raw === null ? [] : [bench.raw])];
  if (raws.length === 0) return null;
  const pad = Math.max(800, (Math.max(...raws) - Math.min(...raws)) * 0.12);
  const x = scaleLinear([Math.min(...raws) - pad, Math.max(...raws) + pad], [50, 388]);
  const y = scaleLinear([-0.16, 1], [168, 10]);
  const [a, b] = shown;
  const top = a && b && a.theta > b.theta ? a : b;
  return (
    <svg viewBox="0 0 400 204" className="cal-line" role="img"
      aria-label={shown.length ? `Line through ${shown.map((p) => `${fixed(p.raw, 0)} counts at ${percent(p.theta)}`).join(" and ")}` : "No points yet"}>
      <rect x="50" y="10" width="338" height="158" fill={colour.paper} />
      {[0, 0.5, 1].map((t) => <text key={t} x="44" y={y(t) + 5} textAnchor="end" className="axis">{t * 100} %</text>)}
      {taken.length > 0 && old.length === 2 && <Segment pairs={old} x={x} y={y} faint />}
      {a && b && <Segment pairs={[a, b]} x={x} y={y} />}
      {shown.map((p) => (
        <g key={p.raw}>
          <line x1={x(p.raw - 2 * p.noise)} x2={x(p.raw + 2 * p.noise)} y1={y(p.theta)} y2={y(p.theta)} stroke={colour.ink} strokeWidth="5" opacity="0.3" />
          <circle cx={x(p.raw)} cy={y(p.theta)} r="5.5" fill={colour.ink} />
          <text x={x(p.raw)} y={y(p.theta) + (p === top ? -12 : 20)} textAnchor={x(p.raw) < 130 ? "start" : x(p.raw) > 320 ? "end" : "middle"} className="axis">{fixed(p.raw, 0)}, {percent(p.theta)}</text>
        </g>
      ))}
      {bench.raw !== null && (
        <g>
          <line x1={x(bench.raw)} x2={x(bench.raw)} y1="10" y2="168" stroke={colour.water} strokeDasharray="4 3" />
          <text x={Math.min(352, Math.max(86, x(bench.raw)))} y="184" textAnchor="middle" className="axis tone-water">now {fixed(bench.raw, 0)}</text>
        </g>
      )}
      {shown.length < 2 && <text x="219" y="90" textAnchor="middle" className="axis">the line from raw to water content: two points to capture</text>}
      <text x="388" y="200" textAnchor="end" className="axis">raw count</text>
    </svg>
  );
}

function Segment({ pairs, x, y, faint = false }: { pairs: Pair[]; x: (v: number) => number; y: (v: number) => number; faint?: boolean }) {
  const [a, b] = pairs;
  if (!a || !b) return null;
  return <line x1={x(a.raw)} y1={y(a.theta)} x2={x(b.raw)} y2={y(b.theta)} stroke={faint ? colour.quiet : colour.reed} strokeWidth={faint ? 1.2 : 2.4} strokeDasharray={faint ? "5 4" : undefined} />;
}
