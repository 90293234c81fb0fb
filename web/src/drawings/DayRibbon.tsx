import { line } from "d3-shape";
import { useState } from "react";
import { colour } from "../theme";
import { clock, fixed, percent } from "../units/format";
import { layOut, scaleOf, sunTicks, valueAt, type RibbonData, type Scales } from "./ribbonScales";
import { useWidth } from "./useWidth";

interface Props {
  data: RibbonData;
  zone: string;
  label: string;
  height?: number;
  /** A moment was chosen, by a click or by Enter. */
  onPick?: (at: number) => void;
}

/** One day from sunset to sunset: pegs for pulses, water in its band, drops for drain, feed, light and VPD; one cursor. */
export function DayRibbon({ data, zone, label, height = 400, onPick }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(820);
  const [cursor, setCursor] = useState<number | null>(null);
  const narrow = width < 560;
  const s = layOut(data, width, height);
  const at = cursor ?? data.now ?? data.end - data.stepMs;
  const move = (to: number) => setCursor(Math.min(data.end - data.stepMs, Math.max(data.start, to)));
  return (
    <div ref={ref} className="ribbon">
      <Readout data={data} at={at} zone={zone} atNow={cursor === null && data.now !== null} />
      {/* The chart is a slider along time for keyboard and screen reader: its value is the readout. */}
      <svg width={width} height={height} role="slider" aria-label={label} aria-valuemin={data.start} aria-valuemax={data.end} aria-valuenow={at}
        aria-valuetext={spoken(data, at, zone)} tabIndex={0}
        onPointerMove={(e) => move(s.x.invert(e.clientX - e.currentTarget.getBoundingClientRect().left))}
        onPointerLeave={() => setCursor(null)}
        onClick={() => onPick?.(at)}
        onKeyDown={(e) => {
          if (e.key === "ArrowLeft" || e.key === "ArrowRight") {
            move(at + (e.key === "ArrowRight" ? 1 : -1) * data.stepMs * (e.shiftKey ? 20 : 2));
            e.preventDefault();
          } else if (e.key === "Enter" && onPick) onPick(at);
          else if (e.key === "Escape") setCursor(null);
        }}>
        <Daylight data={data} s={s} />
        <WaterTrack data={data} s={s} />
        {s.feed && <FeedTrack data={data} s={s} />}
        {s.air && <AirTrack data={data} s={s} />}
        <Axis data={data} s={s} zone={zone} narrow={narrow} />
        <g transform={`translate(${s.x(at)} 0)`}>
          <line y1="26" y2={height - 20} stroke={colour.ink} strokeWidth="1.4" />
          <path d="M-6 22 h12 l-6 8 z" fill={colour.ink} />
        </g>
      </svg>
    </div>
  );
}

function spoken(data: RibbonData, at: number, zone: string): string {
  const ahead = data.ahead && data.now !== null && at > data.now;
  const theta = ahead ? valueAt(data.ahead?.theta, data.ahead?.start ?? 0, data.ahead?.stepMs ?? 1, at) : valueAt(data.theta, data.start, data.stepMs, at);
  return `${clock(at, zone)}: water content ${percent(theta)}${ahead ? ", forecast" : ""}`;
}

function Readout({ data, at, zone, atNow }: { data: RibbonData; at: number; zone: string; atNow: boolean }) {
  const back = atNow ? at - data.stepMs : at;
  const value = (track?: (number | null)[]) => valueAt(track, data.start, data.stepMs, back);
  const ahead = data.ahead && data.now !== null && at > data.now;
  const theta = ahead ? valueAt(data.ahead?.theta, data.ahead?.start ?? 0, data.ahead?.stepMs ?? 1, at) : value(data.theta);
  const pulse = data.pegs.find((p) => Math.abs(p.at - at) <= data.stepMs * 1.5);
  return (
    <div className="readout">
      <b>{clock(at, zone)}{atNow ? ", now" : ahead ? ", forecast" : ""}</b>
      <span className="tone-water">water {percent(theta)}</span>
      {pulse && <span>pulse {fixed(pulse.ml, 0)} mL per plant</span>}
      {data.pore && <span className="tone-plum">pore {fixed(value(data.pore), 1)}{data.feed === undefined ? "" : `, feed ${fixed(data.feed, 1)}`} mS/cm</span>}
      {data.vpd && <span>VPD {fixed(value(data.vpd), 2)} kPa</span>}
      {data.light && <span className="tone-straw">light {fixed(value(data.light), 0)} W/m²</span>}
    </div>
  );
}

function Daylight({ data, s }: { data: RibbonData; s: Scales }) {
  const top = 32;
  const bottom = s.height - 22;
  const every = 4;
  const lights = data.light ?? [];
  return (
    <g aria-hidden="true">
      <rect x={s.left} y={top} width={s.x(data.sunrise) - s.left} height={bottom - top} fill={colour.slate} opacity="0.15" />
      {lights.length === 0 && <rect x={s.x(data.sunrise)} y={top} width={s.right - s.x(data.sunrise)} height={bottom - top} fill={colour.straw} opacity="0.1" />}
      {lights.filter((_, i) => i % every === 0).map((light, i) => {
        const from = s.x(data.start + i * every * data.stepMs);
        const w = Math.max(0, Math.min(s.right, s.x(data.start + (i + 1) * every * data.stepMs)) - from);
        return light && light > 5 ? <rect key={i} x={from} y={top} width={w} height={bottom - top} fill={colour.straw} opacity={Math.min(0.24, light / 2600)} /> : null;
      })}
    </g>
  );
}

const path = (values: (number | null)[], start: number, stepMs: number, s: Scales, y: (v: number) => number): string =>
  line<number | null>()
    .defined((v) => v !== null)
    .x((_, i) => s.x(start + (i + 0.5) * stepMs))
    .y((v) => y(v ?? 0))(values) ?? "";

function WaterTrack({ data, s }: { data: RibbonData; s: Scales }) {
  const { low, high, ahead } = data;
  return (
    <g aria-hidden="true">
      <line x1={s.left} x2={s.right} y1="32" y2="32" stroke={colour.line} />
      <text x={s.left - 6} y="46" textAnchor="end" className="axis">pulses</text>
      {low !== null && high !== null && (
        <>
          <rect x={s.left} y={s.theta(high)} width={s.right - s.left} height={s.theta(low) - s.theta(high)} fill={colour.water} opacity="0.12" />
          {[low, high].map((level) => (
            <g key={level}>
              <line x1={s.left} x2={s.right} y1={s.theta(level)} y2={s.theta(level)} stroke={colour.water} strokeDasharray="2 4" />
              <text x={s.left - 6} y={s.theta(level) + 4} textAnchor="end" className="axis tone-water">{percent(level, 1)}</text>
            </g>
          ))}
        </>
      )}
      {data.pegs.map((p) => <Peg key={p.at} x={s.x(p.at)} length={s.peg(p.ml)} state={p.state} />)}
      {ahead?.pegs.map((p, i) => <Peg key={p.at} x={s.x(p.at)} length={s.peg(p.ml)} state={i === 0 ? "next" : "forecast"} />)}
      {ahead?.from && ahead.to && <rect x={s.x(ahead.from)} y="32" width={Math.max(3, s.x(ahead.to) - s.x(ahead.from))} height="6" fill={colour.ink} opacity="0.28" />}
      <path d={path(data.theta, data.start, data.stepMs, s, s.theta)} fill="none" stroke={colour.water} strokeWidth="2.2" strokeLinejoin="round" />
      {ahead && <path d={path(ahead.theta, ahead.start, ahead.stepMs, s, s.theta)} fill="none" stroke={colour.water} strokeWidth="1.8" strokeDasharray="1 4" strokeLinecap="round" />}
      {data.marks?.map((m) => (
        <g key={m.at}>
          <line x1={s.x(m.at)} x2={s.x(m.at)} y1={s.water.top - 8} y2={s.water.bottom} stroke={colour.ink} strokeDasharray="5 3" />
          <text x={s.x(m.at) - 4} y={s.water.bottom - 4} textAnchor="end" className="axis">{m.text}</text>
        </g>
      ))}
      <text x={s.left - 6} y={s.drain + 4} textAnchor="end" className="axis">drain</text>
      {data.drops.map((d) => <Drop key={d.at} x={s.x(d.at)} y={s.drain} size={Math.min(1.5, 0.6 + d.ml / 40)} />)}
    </g>
  );
}

function Peg({ x, length, state }: { x: number; length: number; state: string }) {
  const dashed = state === "forecast" || state === "next" || state === "ordered";
  const missed = state === "not_given";
  return (
    <line x1={x} x2={x} y1="32" y2={32 + length} stroke={missed ? colour.brick : colour.ink} strokeWidth={dashed ? (state === "next" ? 3 : 1.6) : missed ? 1.6 : 4}
      strokeDasharray={dashed ? "3 3" : missed ? "1 3" : undefined} />
  );
}

function Drop({ x, y, size }: { x: number; y: number; size: number }) {
  return <path transform={`translate(${x} ${y}) scale(${size})`} d="M0 -5 C3 -1 3.4 1 3.4 2.4 a3.4 3.4 0 0 1 -6.8 0 C-3.4 1 -3 -1 0 -5 z" fill={colour.water} />;
}

function FeedTrack({ data, s }: { data: RibbonData; s: Scales }) {
  if (!s.feed || !data.pore) return null;
  const y = scaleOf([...data.pore, data.feed ?? null], s.feed.bottom, s.feed.top, data.feed === undefined ? 0 : data.feed * 0.6);
  return (
    <g aria-hidden="true">
      <line x1={s.left} x2={s.right} y1={s.feed.top - 5} y2={s.feed.top - 5} stroke={colour.line} />
      <text x={s.left - 6} y={s.feed.top + 14} textAnchor="end" className="axis tone-plum">salts</text>
      <text x={s.left - 6} y={s.feed.top + 28} textAnchor="end" className="axis">mS/cm</text>
      <path d={path(data.pore, data.start, data.stepMs, s, y)} fill="none" stroke={colour.plum} strokeWidth="2" />
      {data.feed !== undefined && (
        <>
          <line x1={s.left} x2={s.right} y1={y(data.feed)} y2={y(data.feed)} stroke={colour.plum} strokeDasharray="6 4" />
          <text x={s.right - 2} y={y(data.feed) - 4} textAnchor="end" className="axis tone-plum">feed {fixed(data.feed, 1)}</text>
        </>
      )}
    </g>
  );
}

function AirTrack({ data, s }: { data: RibbonData; s: Scales }) {
  if (!s.air || !data.light) return null;
  const light = scaleOf(data.light, s.air.bottom, s.air.top);
  const area = path(data.light, data.start, data.stepMs, s, light);
  const last = data.light.length - 1;
  const closed = area && `${area}L${s.x(data.start + (last + 0.5) * data.stepMs)},${s.air.bottom}L${s.left},${s.air.bottom}Z`;
  const vpd = data.vpd && scaleOf(data.vpd, s.air.bottom, s.air.top);
  return (
    <g aria-hidden="true">
      <line x1={s.left} x2={s.right} y1={s.air.top - 5} y2={s.air.top - 5} stroke={colour.line} />
      <text x={s.left - 6} y={s.air.top + 14} textAnchor="end" className="axis tone-straw">{s.narrow ? "light" : "light W/m²"}</text>
      <path d={closed} fill={colour.straw} opacity="0.35" />
      {vpd && data.vpd && (
        <>
          <text x={s.left - 6} y={s.air.top + 30} textAnchor="end" className="axis">{s.narrow ? "VPD" : "VPD kPa"}</text>
          <path d={path(data.vpd, data.start, data.stepMs, s, vpd)} fill="none" stroke={colour.ink} strokeWidth="1.5" />
        </>
      )}
    </g>
  );
}

function Axis({ data, s, zone, narrow }: { data: RibbonData; s: Scales; zone: string; narrow: boolean }) {
  return (
    <g aria-hidden="true">
      {sunTicks(data, narrow).map((t) => {
        const last = t.at >= data.end;
        return (
          <g key={t.at}>
            <line x1={s.x(t.at)} x2={s.x(t.at)} y1="32" y2={s.height - 20} stroke="#fff" strokeWidth="1.4" opacity="0.8" />
            <text x={s.x(t.at)} y="16" textAnchor={last ? "end" : "middle"} className="axis">{t.text}</text>
            <text x={s.x(t.at)} y={s.height - 5} textAnchor={last ? "end" : "middle"} className="axis">{clock(t.at, zone)}</text>
          </g>
        );
      })}
      {!narrow && <text x={s.left} y={s.height - 5} className="axis">{clock(data.start, zone)}</text>}
      {!narrow && data.end - data.start < 129_600_000 && <text x={s.left} y="16" className="axis">last sunset</text>}
    </g>
  );
}
