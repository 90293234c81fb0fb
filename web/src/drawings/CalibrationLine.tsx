import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import type { Bench, BenchDraft, CalVersion } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";
import { useWidth } from "./useWidth";

interface Point {
  x: number;
  y: number;
  noise: number;
}

const HEIGHT = 236;
const EDGE = { left: 54, right: 12, top: 12, bottom: 44 };

/** From what the sensor gives to what it means: points with their scatter, the curve with its band, earlier ones faint, the reading now. */
export function CalibrationLine({ bench }: { bench: Bench }) {
  const points = bench.cards.flatMap((c) => c.points.flatMap((p) => (p.reference === null ? [] : [{ x: p.raw, y: p.reference, noise: p.noise_raw }])));
  const earlier = bench.versions.filter((v) => v.reverted_at === null).slice(0, 3);
  return <CurveDrawing points={points} draft={bench.draft} earlier={earlier} now={bench.live.raw} unit={bench.unit} gives={bench.gives_unit} percent={bench.gives_unit === "% v/v"} />;
}

interface Props {
  points: Point[];
  draft: BenchDraft | null;
  earlier: CalVersion[];
  now: number | null;
  unit: string;
  gives: string;
  percent: boolean;
}

export function CurveDrawing({ points, draft, earlier, now, unit, gives, percent }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(400);
  const shown = percent ? 100 : 1;
  const xs = [...points.map((p) => p.x), ...(draft ? [draft.low, draft.high] : []), ...earlier.flatMap((v) => [v.low, v.high]), ...(now === null ? [] : [now])];
  const ys = [...points.map((p) => p.y), ...(draft?.y ?? []), ...earlier.flatMap((v) => v.y)].map((y) => y * shown);
  if (xs.length === 0) return <div ref={ref} className="cal-box"><p className="quiet">The curve from {unit || "reading"} to {gives} is drawn here once there is a point.</p></div>;
  const xPad = (Math.max(...xs) - Math.min(...xs)) * 0.06 || Math.abs(xs[0] ?? 1) * 0.1 || 1;
  const least = percent ? Math.min(0, ...ys) : Math.min(...ys);
  const most = percent ? Math.max(100, ...ys) : Math.max(...ys);
  const yPad = (most - least) * 0.06 || 1;
  const x = scaleLinear([Math.min(...xs) - xPad, Math.max(...xs) + xPad], [EDGE.left, width - EDGE.right]);
  const y = scaleLinear([least - yPad, most + yPad], [HEIGHT - EDGE.bottom, EDGE.top]);
  const path = (px: number[], py: number[]) => line<number>().x((_, i) => x(px[i] ?? 0)).y((v) => y(v * shown))(py) ?? "";
  const digits = (span: number) => (span > 20 ? 0 : span > 2 ? 1 : 2);
  const xDigits = digits(Math.max(...xs) - Math.min(...xs) || Math.abs(xs[0] ?? 0));
  const told = points.map((p) => `${fixed(p.x, digits(Math.abs(p.x)))} ${unit} at ${fixed(p.y * shown, 1)} ${gives}`).join(", ");
  return (
    <div ref={ref} className="cal-box">
      <svg width={width} height={HEIGHT} className="cal-line" role="img" aria-label={points.length ? `Curve through ${told}` : "No points yet"}>
        <rect x={EDGE.left} y={EDGE.top} width={Math.max(0, width - EDGE.left - EDGE.right)} height={HEIGHT - EDGE.top - EDGE.bottom} fill={colour.paper} />
        {y.ticks(4).map((t) => <text key={t} x={EDGE.left - 6} y={y(t) + 5} textAnchor="end" className="axis">{fixed(t, digits(most - least))}</text>)}
        {x.ticks(width < 420 ? 3 : 5).map((t) => <text key={t} x={x(t)} y={HEIGHT - EDGE.bottom + 16} textAnchor="middle" className="axis">{fixed(t, xDigits)}</text>)}
        {draft && draft.band_low.length > 0 && (
          <path fill={colour.reed} opacity="0.16" d={area<number>().x((_, i) => x(draft.x[i] ?? 0)).y0((_, i) => y((draft.band_low[i] ?? 0) * shown)).y1((_, i) => y((draft.band_high[i] ?? 0) * shown))(draft.x) ?? ""} />
        )}
        {earlier.map((v, i) => (
          <g key={v.number}>
            <path d={path(v.x, v.y)} fill="none" stroke={draft || i > 0 ? colour.quiet : colour.reed} strokeWidth={draft || i > 0 ? 1.2 : 2.4} strokeDasharray={draft || i > 0 ? "5 4" : undefined} />
            <text x={x(v.x.at(-1) ?? 0) - 4} y={y((v.y.at(-1) ?? 0) * shown) + 16} textAnchor="end" className="axis">v{v.number}</text>
          </g>
        ))}
        {draft && <path d={path(draft.x, draft.y)} fill="none" stroke={colour.reed} strokeWidth="2.4" />}
        {points.map((p) => (
          <g key={`${p.x}/${p.y}`}>
            <line x1={x(p.x - 2 * p.noise)} x2={x(p.x + 2 * p.noise)} y1={y(p.y * shown)} y2={y(p.y * shown)} stroke={colour.ink} strokeWidth="5" opacity="0.3" />
            <circle cx={x(p.x)} cy={y(p.y * shown)} r="5" fill={colour.ink} />
          </g>
        ))}
        {now !== null && (
          <g>
            <line x1={x(now)} x2={x(now)} y1={EDGE.top} y2={HEIGHT - EDGE.bottom} stroke={colour.water} strokeDasharray="4 3" />
            <text x={Math.min(width - 46, Math.max(EDGE.left + 30, x(now)))} y={EDGE.top + 14} textAnchor="middle" className="axis tone-water">now {fixed(now, digits(Math.abs(now)))}</text>
          </g>
        )}
        <text x={width - EDGE.right} y={HEIGHT - 6} textAnchor="end" className="axis">{unit || "what the sensor gives"} → {gives}</text>
      </svg>
    </div>
  );
}

/** What the curve leaves over at each point, on a line each side of nothing. */
export function Residuals({ points, unit, scale }: { points: { x: number; residual: number }[]; unit: string; scale: number }) {
  const [ref, width] = useWidth<HTMLDivElement>(400);
  const most = Math.max(1e-9, ...points.map((p) => Math.abs(p.residual * scale)));
  const xs = points.map((p) => p.x);
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [60, width - 16]);
  const y = scaleLinear([-most, most], [96, 10]);
  return (
    <div ref={ref}>
      <svg width={width} height={112} role="img" aria-label={`Residuals, at most ${fixed(most, 2)} ${unit}`}>
        <path d={`M54 ${y(0)} H${width - 8}`} stroke={colour.quiet} />
        <text x="50" y={y(most) + 6} textAnchor="end" className="axis">{fixed(most, 2)}</text>
        <text x="50" y={y(-most)} textAnchor="end" className="axis">−{fixed(most, 2)}</text>
        {points.map((p) => (
          <g key={p.x}>
            <path d={`M${x(p.x)} ${y(0)} V${y(p.residual * scale)}`} stroke={colour.reed} strokeWidth="2" />
            <circle cx={x(p.x)} cy={y(p.residual * scale)} r="4" fill={colour.ink} />
          </g>
        ))}
      </svg>
    </div>
  );
}
