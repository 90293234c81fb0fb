import { scaleLinear } from "d3-scale";
import type { BedNow } from "../api/client";
import { colour } from "../theme";

const TOP = 8;
const FOOT = 66;

/** A bed as a reed standing in water: foot = dry limit, tip = capacity, joints = its band, leaf = which way it goes. */
export function Reed({ bed }: { bed: BedNow }) {
  const y = scaleLinear([bed.dry_limit, bed.capacity], [FOOT, TOP]).clamp(true);
  const known = bed.theta.value !== null;
  const level = known ? y((bed.theta.value ?? 0) / 100) : FOOT;
  const stale = bed.status === "no_data" || bed.status === "uncalibrated";
  return (
    <svg width="56" height="76" viewBox="0 0 56 76" aria-hidden="true" className="reed">
      <path d={`M24 ${FOOT} C23 48 25 30 24 ${TOP}`} fill="none" stroke={stale ? colour.ink : "#B9BDA8"} strokeWidth={stale ? 1.5 : 7}
        strokeLinecap="round" strokeDasharray={stale ? "3 3" : undefined} />
      {known && <Water level={level} below={bed.status === "below"} />}
      {bed.low !== null && bed.high !== null && <Joints low={y(bed.low)} high={y(bed.high)} filled={bed.status === "in_band"} />}
      {known && <Leaf trend={bed.trend} level={level} />}
      <Sign status={bed.status} level={level} />
    </svg>
  );
}

function Water({ level, below }: { level: number; below: boolean }) {
  const tone = below ? colour.clay : colour.water;
  return (
    <>
      <path d={`M24 ${FOOT} L24 ${Math.min(level + 1, FOOT - 1)}`} stroke={tone} strokeWidth="7" strokeLinecap="round" />
      <path d={`M10 ${level} q3.5 -4 7 0 t7 0 t7 0 t7 0`} fill="none" stroke={tone} strokeWidth="2" />
    </>
  );
}

function Joints({ low, high, filled }: { low: number; high: number; filled: boolean }) {
  return (
    <>
      {[low, high].map((at) => (
        <ellipse key={at} cx="24" cy={at} rx="6.5" ry="2.6" fill={filled ? colour.ink : colour.paper} stroke={colour.ink} strokeWidth="1.4" />
      ))}
    </>
  );
}

function Leaf({ trend, level }: { trend: number | null; level: number }) {
  const lean = trend === null || Math.abs(trend) < 0.2 ? 0 : trend > 0 ? -13 : 13;
  return <path d={`M27 ${level} q10 ${lean / 2} 19 ${lean}`} fill="none" stroke={colour.reed} strokeWidth="2.4" strokeLinecap="round" />;
}

/** Shapes beside the stem, so that meaning never rests on colour: notch below, wave above, struck square for a fault. */
function Sign({ status, level }: { status: string; level: number }) {
  if (status === "below") return <path d={`M3 ${level - 6} l8 6 l-8 6 z`} fill={colour.clay} />;
  if (status === "above") return <path d={`M1 ${level - 5} q3 -5 6 0 t6 0`} fill="none" stroke={colour.water} strokeWidth="2.4" />;
  if (status === "fault" || status === "stopped")
    return (
      <g stroke={status === "fault" ? colour.brick : colour.ink} strokeWidth="2" fill="none">
        <rect x="2" y="27" width="13" height="13" />
        <path d="M2 40 L15 27" />
      </g>
    );
  if (status === "uncalibrated") return <text x="2" y="44" fontSize="18" fontWeight="700" fill={colour.ink}>?</text>;
  return null;
}
