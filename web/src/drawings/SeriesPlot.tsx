import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { colour } from "../theme";
import { clock, dayName, fixed } from "../units/format";
import { useWidth } from "./useWidth";

export interface Series {
  name: string;
  values: (number | null)[];
  tone: "water" | "reed" | "clay" | "quiet";
}

export interface Mark {
  at: string;
  label: string;
}

export interface Stretch {
  start: string;
  end: string;
  label: string;
}

interface Props {
  start: string;
  stepMin: number;
  zone: string;
  unit: string;
  series: Series[];
  scale?: number;
  height?: number;
  marks?: Mark[];
  stretches?: Stretch[];
}

/** Series on one time axis, with marks where something began and stretches where readings are flagged. */
export function SeriesPlot({ start, stepMin, zone, unit, series, scale = 1, height = 190, marks = [], stretches = [] }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(640);
  const begin = Date.parse(start);
  const steps = Math.max(1, ...series.map((s) => s.values.length));
  const end = begin + steps * stepMin * 60_000;
  const known = series.flatMap((s) => s.values.filter((v): v is number => v !== null).map((v) => v * scale));
  if (known.length === 0) return <div ref={ref}><p className="quiet">Nothing was read in this time.</p></div>;
  const least = Math.min(...known);
  const most = Math.max(...known);
  const pad = (most - least) * 0.08 || Math.abs(most) * 0.02 || 1;
  const bottom = height - 24;
  const x = scaleLinear([begin, end], [56, width - 10]);
  const y = scaleLinear([least - pad, most + pad], [bottom, 8]);
  const digits = most - least > 20 ? 0 : most - least > 2 ? 1 : 2;
  const draw = line<number | null>().defined((v) => v !== null).x((_, i) => x(begin + (i + 0.5) * stepMin * 60_000)).y((v) => y((v ?? 0) * scale));
  const span = (end - begin) / 3_600_000;
  const label = (t: number) => (span > 40 ? dayName(t, zone).replace(/ .*$/, "") + ` ${clock(t, zone)}` : clock(t, zone));
  const ticks = Array.from({ length: width < 480 ? 3 : 5 }, (_, i, all = width < 480 ? 3 : 5) => begin + ((end - begin) * i) / (all - 1));
  const inside = (at: string) => Math.min(width - 10, Math.max(56, x(Date.parse(at))));
  return (
    <div ref={ref} className="series-plot">
      <p className="series-key">{series.map((s) => <span key={s.name}><span className={`key-line key-${s.tone}`} aria-hidden="true" /> {s.name}</span>)}</p>
      <svg width={width} height={height} role="img" aria-label={`${series.map((s) => s.name).join(" and ")}, ${fixed(least, digits)} to ${fixed(most, digits)} ${unit}`}>
        <rect x="56" y="8" width={Math.max(0, width - 66)} height={bottom - 8} fill={colour.paper} />
        {stretches.map((s) => <rect key={`${s.start}${s.label}`} x={inside(s.start)} y="8" width={Math.max(3, inside(s.end) - inside(s.start))} height={bottom - 8} fill={colour.clay} opacity="0.22"><title>{s.label}</title></rect>)}
        {y.ticks(4).map((t) => <text key={t} x="50" y={y(t) + 5} textAnchor="end" className="axis">{fixed(t, digits)}</text>)}
        {ticks.map((t, i) => <text key={t} x={x(t)} y={height - 6} textAnchor={i === 0 ? "start" : i === ticks.length - 1 ? "end" : "middle"} className="axis">{label(t)}</text>)}
        {series.map((s) => <path key={s.name} d={draw(s.values) ?? ""} fill="none" stroke={colour[s.tone]} strokeWidth={s.tone === "quiet" ? 1.4 : 1.9} strokeDasharray={s.tone === "quiet" ? "5 3" : undefined} />)}
        {marks.filter((m) => Date.parse(m.at) >= begin).map((m) => (
          <g key={m.at + m.label}>
            <path d={`M${inside(m.at)} 8 V${bottom}`} stroke={colour.ink} strokeWidth="1.4" />
            <text x={Math.min(width - 60, inside(m.at) + 4)} y="20" className="axis">{m.label}</text>
          </g>
        ))}
      </svg>
    </div>
  );
}
