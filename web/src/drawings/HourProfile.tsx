import { scaleLinear } from "d3-scale";
import { colour } from "../theme";
import { fixed } from "../units/format";
import { useWidth } from "./useWidth";

/** Mean difference by hour of the site's day, over the sun's height: a shield in the sun shows as a bias of some hours. */
export function HourProfile({ byHour, sun, tolerance, unit }: { byHour: (number | null)[]; sun: number[]; tolerance: number; unit: string }) {
  const [ref, width] = useWidth<HTMLDivElement>(480);
  const most = Math.max(tolerance * 1.4, ...byHour.map((v) => Math.abs(v ?? 0)));
  const x = scaleLinear([0, 24], [52, width - 8]);
  const y = scaleLinear([-most, most], [134, 10]);
  const top = Math.max(20, ...sun);
  return (
    <div ref={ref}>
      <svg width={width} height="164" role="img" aria-label={`Difference by hour of day: ${byHour.map((v, h) => (v === null ? "" : `${h} o'clock ${fixed(v, 1)} ${unit}`)).filter(Boolean).join(", ")}`}>
        <path d={`M${x(0)} 134 ${sun.map((s, h) => `L${x(h + 0.5)} ${134 - (Math.max(0, s) / top) * 110}`).join(" ")} L${x(24)} 134 Z`} fill={colour.straw} opacity="0.2" />
        <rect x={x(0)} y={y(tolerance)} width={Math.max(0, x(24) - x(0))} height={y(-tolerance) - y(tolerance)} fill={colour.reed} opacity="0.1" />
        <path d={`M${x(0)} ${y(0)} H${x(24)}`} stroke={colour.quiet} />
        {byHour.map((v, h) => v !== null && <rect key={h} x={x(h) + 2} width={Math.max(2, x(1) - x(0) - 4)} y={Math.min(y(0), y(v))} height={Math.max(1, Math.abs(y(v) - y(0)))} fill={Math.abs(v) > tolerance ? colour.clay : colour.water} />)}
        {[most / 1.4, 0, -most / 1.4].map((t) => <text key={t} x="46" y={y(t) + 5} textAnchor="end" className="axis">{fixed(t, 1)}</text>)}
        {[0, 6, 12, 18, 24].map((h) => <text key={h} x={x(h)} y="152" textAnchor={h === 24 ? "end" : h === 0 ? "start" : "middle"} className="axis">{h}:00</text>)}
      </svg>
      <p className="quiet">Bars: mean difference in {unit || "points"} by hour; green band: within the tolerance; yellow: height of the sun.</p>
    </div>
  );
}
