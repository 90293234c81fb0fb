import { useRef, useState } from "react";
import type { PlaceJudged } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";

/** The container to scale with a probe that can be dragged, or moved by the arrow keys a centimetre at a time. */
export function PlaceDrawing({ place, label, onMove }: { place: PlaceJudged; label: string; onMove: (across: number, depth: number) => void }) {
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState(false);
  const scale = Math.min(380 / Math.max(place.top_cm, place.base_cm), 240 / place.height_cm);
  const cx = 250;
  const y0 = 60;
  const x = (cm: number) => cx + cm * scale;
  const y = (cm: number) => y0 + cm * scale;
  const h = place.height_cm * scale;
  const wall = `M${x(-place.top_cm / 2)} ${y0} L${x(-place.base_cm / 2)} ${y0 + h} H${x(place.base_cm / 2)} L${x(place.top_cm / 2)} ${y0}`;
  const bad = place.refused !== "";
  const toPlace = (clientX: number, clientY: number) => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return;
    const k = 500 / box.width;
    onMove(Math.round((((clientX - box.left) * k - cx) / scale) * 2) / 2, Math.round((((clientY - box.top) * k - y0) / scale) * 2) / 2);
  };
  const keys: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  return (
    <svg ref={svg} viewBox={`0 0 500 ${y0 + h + 44}`} className="place-drawing" role="group" aria-label={label}
      onPointerMove={(e) => { if (held) toPlace(e.clientX, e.clientY); }} onPointerUp={() => setHeld(false)} onPointerLeave={() => setHeld(false)}>
      <clipPath id="place-medium"><path d={`${wall} Z`} /></clipPath>
      <g clipPath="url(#place-medium)">
        <rect x="0" y={y0} width="500" height={h} fill="#E6DBC3" />
        <ellipse cx={x(place.dripper_cm)} cy={y0 + h * 0.55} rx={place.top_cm * scale * 0.36} ry={h * 0.62} fill={colour.water} opacity="0.2" />
        <rect x="0" y={y0 + h * 0.85} width="500" height={h * 0.15} fill={colour.water} opacity="0.28" />
      </g>
      <path d={`M${x(place.dripper_cm) - 26} 30 H${x(place.dripper_cm)} V${y0 - 12}`} fill="none" stroke={colour.ink} strokeWidth="4" />
      <path d={`M${x(place.dripper_cm)} ${y0 - 4} c4 5 4 9 0 10 c-4 -1 -4 -5 0 -10`} fill={colour.water} />
      {[-0.35, -0.12, 0.12, 0.35].map((lean) => (
        <path key={lean} d={`M${cx} ${y0} C${cx + place.top_cm * scale * lean * 0.4} ${y0 + h * 0.3} ${cx + place.top_cm * scale * lean} ${y0 + h * 0.5} ${cx + place.top_cm * scale * lean} ${y0 + h * 0.8}`}
          fill="none" stroke={colour.reed} strokeWidth="2" clipPath="url(#place-medium)" />
      ))}
      <path d={`M${cx} ${y0} C${cx - 3} 38 ${cx + 4} 20 ${cx} 2`} fill="none" stroke={colour.reed} strokeWidth="7" />
      <path d={wall} fill="none" stroke={colour.ink} strokeWidth="2.4" />
      <path d={`M${x(place.dripper_cm)} ${y(place.depth_cm)} H${x(place.across_cm)}`} stroke={colour.quiet} strokeDasharray="3 3" />
      <text x={(x(place.dripper_cm) + x(place.across_cm)) / 2} y={y(place.depth_cm) - 6} textAnchor="middle" className="axis">{fixed(place.to_dripper_cm, 1)} cm</text>
      <g role="slider" tabIndex={0} aria-label="Probe" aria-valuenow={place.depth_cm} aria-valuemin={0} aria-valuemax={place.height_cm}
        aria-valuetext={`${fixed(place.depth_cm, 1)} cm deep, ${fixed(place.to_dripper_cm, 1)} cm from the dripper. ${place.refused || place.advice.join(" ")}`} className="probe-handle"
        onPointerDown={(e) => { (e.target as Element).releasePointerCapture?.(e.pointerId); setHeld(true); }}
        onKeyDown={(e) => { const step = keys[e.key]; if (step) { e.preventDefault(); e.stopPropagation(); onMove(place.across_cm + step[0] * 0.5, place.depth_cm + step[1] * 0.5); } }}>
        <circle cx={x(place.across_cm)} cy={y(place.depth_cm)} r={Math.max(22, place.radius_cm * scale)} fill="transparent" />
        <circle cx={x(place.across_cm)} cy={y(place.depth_cm)} r={place.radius_cm * scale} fill={bad ? colour.brick : colour.plum} fillOpacity="0.14" stroke={bad ? colour.brick : colour.plum} strokeWidth="2.4" strokeDasharray={bad ? undefined : "6 4"} />
        <path d={`M${x(place.across_cm)} ${Math.min(y0 - 18, y(place.depth_cm))} V${y(place.depth_cm)}`} stroke={colour.ink} strokeWidth="7" />
        {[-4, 0, 4].map((dx) => <path key={dx} d={`M${x(place.across_cm) + dx} ${y(place.depth_cm) - 8} v18`} stroke={colour.ink} strokeWidth="2.2" />)}
      </g>
      <path d={`M${x(-place.base_cm / 2) - 16} ${y0} h8 m-4 0 V${y(place.depth_cm)} m-4 0 h8`} stroke={colour.quiet} fill="none" />
      <text x={x(-place.base_cm / 2) - 22} y={(y0 + y(place.depth_cm)) / 2 + 4} textAnchor="end" className="axis">{fixed(place.depth_cm, 1)} cm</text>
      <text x={cx} y={y0 + h + 26} textAnchor="middle" className="axis">{fixed(place.top_cm, 0)} cm wide, {fixed(place.height_cm, 0)} cm high; dashed: what the probe reads</text>
    </svg>
  );
}
