import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Profile } from "../api/client";
import { colour } from "../theme";
import { fixed, percent } from "../units/format";

/** Water over the height of drained containers of one medium, side by side on one height scale. */
export function WaterColumns({ profile }: { profile: Profile }) {
  const tallest = Math.max(...profile.columns.map((c) => c.height_cm));
  const width = Math.min(170, 620 / profile.columns.length);
  const y = scaleLinear([0, tallest], [212, 22]);
  return (
    <svg viewBox={`0 0 ${70 + profile.columns.length * (width + 24)} 256`} className="water-columns" role="img" aria-label={profile.sentence}>
      {[0, tallest / 2, tallest].map((h) => (
        <text key={h} x="52" y={y(h) + 4} textAnchor="end" className="axis">{fixed(h, 0)} cm</text>
      ))}
      {profile.columns.map((column, i) => {
        const x0 = 64 + i * (width + 24);
        const x = scaleLinear([0, 1], [x0, x0 + width]);
        const points = column.heights_cm.map((h, k) => [x(column.theta[k] ?? 0), y(h)] as [number, number]);
        const edge = line()(points) ?? "";
        const area = `${edge} L${x0} ${y(column.height_cm)} L${x0} ${y(0)} Z`;
        return (
          <g key={column.height_cm}>
            <rect x={x0} y={y(column.height_cm)} width={width} height={y(0) - y(column.height_cm)} fill="#efe6d2" />
            <path d={area} fill={colour.water} opacity="0.75" />
            <rect x={x0} y={y(column.height_cm)} width={width} height={y(0) - y(column.height_cm)} fill="none" stroke={colour.ink} strokeWidth="1.6" />
            <path d={`M${x(column.capacity)} ${y(column.height_cm)} V${y(0)}`} stroke={colour.ink} strokeDasharray="4 3" />
            <text x={x0 + width / 2} y={y(column.height_cm) - 6} textAnchor="middle" className="axis">{fixed(column.height_cm, 0)} cm high</text>
            <text x={x0 + width / 2} y="230" textAnchor="middle" className="axis strong">{percent(column.capacity)} held</text>
            <text x={x0 + width / 2} y="246" textAnchor="middle" className="axis">{percent(column.theta.at(-1))} at the top</text>
          </g>
        );
      })}
    </svg>
  );
}
