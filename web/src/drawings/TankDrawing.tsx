import { colour } from "../theme";
import { fixed } from "../units/format";

export interface TankShape {
  shape: string;
  depth_cm: number | null;
  full_l: number;
  levels_cm: Record<string, number>;
  litres: Record<string, number>;
  content_l: number | null;
}

const MARK = { overfill: colour.plum, warn: colour.clay, empty: colour.brick };

/** A tank seen from its side with its levels at scale; a lying one is round, so its marks are not evenly spaced. */
export function TankDrawing({ tank, label }: { tank: TankShape; label: string }) {
  const depth = tank.depth_cm ?? 100;
  const cm = (name: string) => tank.levels_cm[name] ?? ((tank.litres[name] ?? 0) / tank.full_l) * depth;
  const y = (level: number) => 104 - (92 * Math.min(level, depth)) / depth;
  const now = tank.content_l === null ? null : (tank.levels_cm.now ?? (tank.content_l / tank.full_l) * depth);
  // Labels keep 14 units apart, so that near levels stay readable.
  const labels = [Math.max(12, y(cm("overfill")) + 4), 0, 0];
  labels[1] = Math.min(98, Math.max((labels[0] ?? 0) + 14, y(cm("warn")) + 2));
  labels[2] = Math.min(112, Math.max((labels[1] ?? 0) + 14, y(cm("empty")) + 6));
  const clip = `tank-${label.replace(/\W/g, "")}`;
  const body = tank.shape === "lying" ? <ellipse cx="52" cy="58" rx="46" ry="46" /> : <rect x="12" y="12" width="80" height="92" rx={tank.shape === "upright" ? 10 : 1} />;
  return (
    <svg viewBox="0 0 206 116" className="tank-drawing" role="img" aria-label={`${label}, ${fixed(tank.full_l, 0)} L when full`}>
      <clipPath id={clip}>{body}</clipPath>
      <g clipPath={`url(#${clip})`}>
        <rect x="0" y="0" width="110" height="116" fill="#fff" />
        {now !== null && <rect x="0" y={y(now)} width="110" height="116" fill={colour.water} opacity="0.8" />}
      </g>
      <g fill="none" stroke={colour.ink} strokeWidth="2" strokeDasharray={now === null ? "5 3" : undefined}>{body}</g>
      {(["overfill", "warn", "empty"] as const).map((name, i) => (
        <g key={name}>
          <path d={`M8 ${y(cm(name))} H98`} stroke={MARK[name]} strokeWidth={name === "empty" ? 3 : 2} strokeDasharray={name === "overfill" ? "3 3" : undefined} />
          <text x="102" y={labels[i]} className="axis">{name} {fixed(tank.litres[name] ?? 0, 0)} L</text>
        </g>
      ))}
    </svg>
  );
}
