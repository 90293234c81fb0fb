import type { BedOut } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";
import { useWidth } from "./useWidth";

/** Length and width of a bed's row [m], from its containers one behind the other. */
function rowSize(bed: BedOut): { length: number; width: number } {
  const f = bed.form;
  const containers = Math.max(1, Math.round(f.plants / f.plants_per_container));
  const across = f.width_cm ?? f.top_diameter_cm ?? f.top_side_cm ?? 20;
  const along = f.length_cm ?? f.top_diameter_cm ?? f.top_side_cm ?? 100;
  const many = f.shape === "trough" ? 1 : containers;
  return { length: (along * many) / 100, width: across / 100 };
}

/** The house from above: each bed a row to one scale, in row order. Clicking a row chooses the bed. */
export function HousePlan({ beds, chosen, onChoose, label }: { beds: BedOut[]; chosen: number | null; onChoose: (bed: number) => void; label: string }) {
  const sizes = beds.map(rowSize);
  const longest = Math.max(1, ...sizes.map((s) => s.length));
  const [ref, width] = useWidth<HTMLDivElement>(720);
  const scale = Math.max(80, width - 220) / longest;
  const pitch = Math.max(26, Math.min(36, 260 / Math.max(1, beds.length)));
  const height = beds.length * pitch + 26;
  return (
    <div ref={ref}>
    <svg width={width} height={height} className="house-plan-svg" role="group" aria-label={label}>
      {beds.map((bed, i) => {
        const size = sizes[i] ?? { length: 1, width: 0.2 };
        const y = i * pitch + 4;
        const w = size.length * scale;
        const h = Math.max(9, Math.min(pitch - 14, size.width * scale));
        const here = bed.id === chosen;
        const choose = () => onChoose(bed.id);
        return (
          <g key={bed.id}>
            <g role="button" tabIndex={0} aria-pressed={here} aria-label={`Bed ${bed.form.name}, ${bed.form.crop}, ${fixed(size.length, 1)} m long, ${bed.form.plants} plants`}
              className="plan-bed" onClick={choose} onKeyDown={(e) => { if (e.key === "Enter" || e.key === " ") { e.preventDefault(); choose(); } }}>
              <rect x="0" y={y - 3} width={width} height={pitch - 2} fill={here ? "#fbf8ea" : "transparent"} />
              <rect x="46" y={y + (pitch - 8 - h) / 2} width={w} height={h} rx={bed.form.shape === "pot" ? h / 2 : 2} fill={here ? colour.reed : "#c9d3c1"} stroke={colour.ink} strokeWidth="1.2" />
            </g>
            <text x="4" y={y + pitch / 2 + 1} className="plan-name" aria-hidden="true">{bed.form.name}</text>
            <text x={54 + w} y={y + pitch / 2 + 1} className="axis plan-told" aria-hidden="true">{fixed(size.length, 1)} m, {bed.form.plants} plants</text>
          </g>
        );
      })}
      <path d={`M46 ${height - 14} v6 m0 -3 h${scale * Math.min(5, longest)} m0 -3 v6`} stroke={colour.quiet} fill="none" />
      <text x={52 + scale * Math.min(5, longest)} y={height - 6} className="axis">{fixed(Math.min(5, longest), 0)} m</text>
    </svg>
    </div>
  );
}
