import type { BenchLive } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";

/** How steady a reading is: the bubble comes to the middle and stays there. */
export function SpiritLevel({ live: bench, unit }: { live: BenchLive; unit: string }) {
  const x = 170 + bench.bubble * 128;
  const digits = bench.span_raw > 200 ? 0 : 3;
  return (
    <div className="spirit-level">
      <div className="level-ends" aria-hidden="true">
        <span>falling</span>
        <b>{bench.steady ? "steady" : "not steady yet"}</b>
        <span>rising</span>
      </div>
      <svg viewBox="0 0 340 46" role="img" aria-label={bench.steady ? "The reading is steady" : `The reading is not steady: ${bench.why}`}>
        <rect x="2" y="4" width="336" height="38" rx="19" fill="#E4EEEA" stroke={colour.ink} strokeWidth="1.8" />
        <path d="M140 4 v38 M200 4 v38" stroke={colour.ink} strokeWidth="1.8" />
        <ellipse cx={x} cy="21" rx="27" ry="13" fill="#fff" stroke={bench.steady ? colour.reed : colour.clay} strokeWidth={bench.steady ? 4 : 2.4}
          strokeDasharray={bench.steady ? undefined : "5 3"} className="bubble" />
      </svg>
      <p className="level-words" aria-live="polite">
        {bench.steady ? `Steady for ${fixed(bench.still_for_s, 0)} s` : bench.why}
        {bench.slope_per_min !== null && bench.noise !== null && (
          <span className="quiet"> drift {fixed(bench.slope_per_min, digits)} {unit} a minute, scatter {fixed(bench.noise, digits)} {unit}</span>
        )}
      </p>
    </div>
  );
}
