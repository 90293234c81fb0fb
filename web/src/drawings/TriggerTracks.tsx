import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Tried } from "../api/client";
import { colour } from "../theme";
import { clock, fixed } from "../units/format";
import { useWidth } from "./useWidth";

const NAMES: Record<string, string> = {
  fallen: "fallen since the peak", suction: "suction", light_sum: "light since the pulse", vpd_hours: "VPD-hours since the pulse", water_use: "use since the pulse", elapsed: "time since the pulse",
};

/** What each trigger saw over the stretch, against the value at which it fires: its own track, in its own unit. */
export function TriggerTracks({ day, zone }: { day: Tried; zone: string }) {
  const [box, width] = useWidth<HTMLDivElement>(720);
  const start = Date.parse(day.start);
  const end = Date.parse(day.end);
  const left = width < 520 ? 50 : 74;
  const x = scaleLinear([start, end], [left, width - (width < 520 ? 6 : 14)]);
  return (
    <div ref={box} className="trigger-tracks">
      {day.tracks.map((t) => {
        const known = t.values.filter((v): v is number => v !== null);
        const y = scaleLinear([0, Math.max(t.limit * 1.15, ...known.filter((v) => v < t.limit * 4))], [46, 6]);
        const d = line<number | null>().defined((v) => v !== null && v < t.limit * 4).x((_, i) => x(start + i * day.step_min * 60_000)).y((v) => y(v ?? 0))(t.values) ?? "";
        return (
          <figure key={t.kind}>
            <figcaption>{NAMES[t.kind] ?? t.kind}, {t.unit}; fires at {fixed(t.limit, t.limit < 10 ? 1 : 0)}</figcaption>
            <svg width={width} height="52" role="img" aria-label={`${NAMES[t.kind] ?? t.kind}: fires at ${fixed(t.limit, 1)} ${t.unit}, ${known.length} values from ${clock(start, zone)} to ${clock(end, zone)}`}>
              <line x1={left} x2={width - 14} y1={y(t.limit)} y2={y(t.limit)} stroke={colour.clay} strokeDasharray="5 3" />
              <text x={left - 6} y={y(t.limit) + 4} textAnchor="end" className="axis">{fixed(t.limit, t.limit < 10 ? 1 : 0)}</text>
              <line x1={left} x2={width - 14} y1="46" y2="46" stroke={colour.line} />
              <path d={d} fill="none" stroke={colour.ink} strokeWidth="1.6" />
            </svg>
          </figure>
        );
      })}
    </div>
  );
}
