import { colour } from "../theme";

export interface Container {
  shape: string;
  width_cm: number;
  base_cm: number;
  height_cm: number;
}

export interface ProbeAt {
  name: string;
  depth_cm: number;
  distance_cm: number;
}

/** The container to scale with dripper, wet zone, roots, and the probe with its reading volume. */
export function CrossSection({ container, probe, caption }: { container: Container; probe: ProbeAt; caption: string }) {
  const scale = Math.min(190 / container.width_cm, 150 / container.height_cm);
  const w = container.width_cm * scale;
  const base = container.base_cm * scale;
  const h = container.height_cm * scale;
  const x0 = 120 - w / 2;
  const y0 = 46;
  const dripper = 120 - Math.min(w * 0.22, 40);
  const at = { x: Math.min(dripper + probe.distance_cm * scale, 120 + w / 2 - 12), y: y0 + Math.min(probe.depth_cm, container.height_cm) * scale };
  const wall = `M${x0} ${y0} L${x0 + (w - base) / 2} ${y0 + h} h${base} L${x0 + w} ${y0}`;
  return (
    <figure className="cross-section">
      <svg viewBox={`0 0 240 ${y0 + h + 40}`} role="img" aria-label={`${caption}. Probe ${probe.name} is ${probe.depth_cm} cm deep and ${probe.distance_cm} cm from the dripper.`}>
        <clipPath id="medium"><path d={`${wall} Z`} /></clipPath>
        <g clipPath="url(#medium)">
          <rect x={x0} y={y0} width={w} height={h} fill="#E6DBC3" />
          <ellipse cx={dripper} cy={y0 + h * 0.55} rx={w * 0.42} ry={h * 0.6} fill={colour.water} opacity="0.22" />
          <ellipse cx={dripper} cy={y0 + h * 1.02} rx={w * 0.7} ry={h * 0.34} fill={colour.water} opacity="0.22" />
        </g>
        <path d={`M${dripper - 18} 24 H${dripper} V${y0 - 8}`} fill="none" stroke={colour.ink} strokeWidth="3" />
        <path d={`M${dripper} ${y0 - 2} c3 4 3 7 0 8 c-3 -1 -3 -4 0 -8`} fill={colour.water} />
        {[-0.3, -0.1, 0.12, 0.34].map((lean) => (
          <path key={lean} d={`M120 ${y0} C${120 + w * lean * 0.4} ${y0 + h * 0.3} ${120 + w * lean} ${y0 + h * 0.5} ${120 + w * lean * 1.05} ${y0 + h * 0.82}`} fill="none"
            stroke={colour.reed} strokeWidth="1.8" clipPath="url(#medium)" />
        ))}
        <path d={`M120 ${y0} C118 30 123 18 120 2`} fill="none" stroke={colour.reed} strokeWidth="5" />
        <path d={wall} fill="none" stroke={colour.ink} strokeWidth="2" />
        <g stroke={colour.ink} fill={colour.ink}>
          <path d={`M${at.x + 16} 18 C${at.x + 16} 34 ${at.x} 30 ${at.x} ${y0}`} fill="none" strokeWidth="2" />
          <rect x={at.x - 5} y={y0 - 3} width="10" height={Math.max(8, at.y - y0 - 8)} />
          {[-3.5, 0, 3.5].map((dx) => <line key={dx} x1={at.x + dx} x2={at.x + dx} y1={at.y - 12} y2={at.y + 16} strokeWidth="1.8" />)}
        </g>
        <circle cx={at.x} cy={at.y + 2} r={Math.max(14, 3.2 * scale)} fill="none" stroke={colour.plum} strokeWidth="1.6" strokeDasharray="4 3" />
        <path d={`M${x0} ${y0 + h + 12} v8 m0 -4 h${w} m0 -4 v8`} stroke={colour.quiet} fill="none" />
        <text x="120" y={y0 + h + 34} textAnchor="middle" className="axis">{container.width_cm} cm wide, {container.height_cm} cm high</text>
      </svg>
      <figcaption>
        {caption}. Probe {probe.name}: {probe.depth_cm} cm deep, {probe.distance_cm} cm from the dripper; dashed, what it reads.
      </figcaption>
    </figure>
  );
}
