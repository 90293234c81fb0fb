import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { BedNow, Line, Lines } from "../api/client";
import { colour } from "../theme";

const W = 250;
const H = 54;

/** A bed's day so far in the house list: pegs, band and water, night before sunrise. */
export function SmallRibbon({ bed, lines }: { bed: BedNow; lines: Lines }) {
  const found: Line | undefined = lines.lines.find((l) => l.bed === bed.id);
  const minutes = (Date.parse(lines.end) - Date.parse(lines.start)) / 60000;
  const x = scaleLinear([0, minutes], [0, W]);
  const sunrise = x((Date.parse(lines.sunrise) - Date.parse(lines.start)) / 60000);
  const known = (found?.theta ?? []).filter((v): v is number => v !== null);
  const levels = [...known, ...(bed.low === null || bed.high === null ? [] : [bed.low, bed.high])];
  const y = scaleLinear([Math.min(...levels) - 0.004, Math.max(...levels) + 0.004], [H - 3, 16]);
  const d = line<number | null>().defined((v) => v !== null).x((_, i) => x((i + 0.5) * lines.step_min)).y((v) => y(v ?? 0))(found?.theta ?? []);
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="small-ribbon" aria-hidden="true" preserveAspectRatio="none">
      <rect width={sunrise} height={H} fill={colour.slate} opacity="0.1" />
      <rect x={sunrise} width={W - sunrise} height={H} fill={colour.straw} opacity="0.11" />
      {bed.low !== null && bed.high !== null && levels.length > 0 && (
        <rect width={W} y={y(bed.high)} height={y(bed.low) - y(bed.high)} fill={colour.water} opacity="0.15" />
      )}
      {found?.pulses.map((m) => <line key={m} x1={x(m)} x2={x(m)} y1="0" y2="11" stroke={colour.ink} strokeWidth="2.4" />)}
      {d && <path d={d} fill="none" stroke={bed.status === "below" || bed.status === "fault" ? colour.clay : colour.water} strokeWidth="2" vectorEffect="non-scaling-stroke" />}
      <line x1={x((found?.theta.length ?? 0) * lines.step_min)} x2={x((found?.theta.length ?? 0) * lines.step_min)} y1="0" y2={H} stroke={colour.ink} strokeWidth="1" />
    </svg>
  );
}
