import type { PumpLine } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";

interface Props {
  source: string;
  tank: string;
  pump: PumpLine;
  injector: number | null;
  drain: string;
}

interface Stop {
  name: string;
  told: string;
  shape: "drop" | "tank" | "pump" | "filter" | "injector" | "pipe" | "valve" | "dripper" | "drain";
}

const SIGN: Record<Stop["shape"], string> = {
  drop: "M0 -11 c7 9 7 17 0 18 c-7 -1 -7 -9 0 -18",
  tank: "M-11 -10 V10 H11 V-10 M-11 -2 H11",
  pump: "M-11 0 a11 11 0 1 0 22 0 a11 11 0 1 0 -22 0 M-5 -7 L9 0 L-5 7 Z",
  filter: "M-11 -9 H11 L3 2 V10 H-3 V2 Z",
  injector: "M-11 0 H11 M0 -12 V0 M-5 -12 H5",
  pipe: "M-12 -4 H12 M-12 4 H12",
  valve: "M-11 -8 L11 8 V-8 L-11 8 Z",
  dripper: "M-11 -8 H11 M-7 -8 v5 M0 -8 v5 M7 -8 v5 M0 2 c4 5 4 9 0 10 c-4 -1 -4 -5 0 -10",
  drain: "M-11 -10 L-6 8 H6 L11 -10 M0 8 v5",
};

/** One pump’s water from its source to the drain, as a chain with what each link takes or gives. */
export function ChainDrawing({ source, tank, pump: p, injector, drain }: Props) {
  const head = (name: string) => p.heads.find((h) => h.name === name)?.head_m ?? 0;
  const stops: Stop[] = [
    { name: source || "source", told: source ? "" : "not described", shape: "drop" },
    { name: tank, told: "", shape: "tank" },
    { name: p.name, told: `${fixed(p.flow_used_l_min, 1)} L/min`, shape: "pump" },
    ...(head("filter") > 0 ? [{ name: "filter", told: `−${fixed(head("filter"), 1)} m`, shape: "filter" as const }] : []),
    ...(injector !== null ? [{ name: "injector", told: `${fixed(injector, 1)} %`, shape: "injector" as const }] : []),
    ...(head("main pipe") > 0 ? [{ name: "main", told: `−${fixed(head("main pipe"), 2)} m`, shape: "pipe" as const }] : []),
    { name: p.beds.length === 1 ? "valve" : `${p.beds.length} valves`, told: p.beds.map((b) => b.name).slice(0, 6).join(" "), shape: "valve" },
    { name: "drippers", told: p.heads.length > 0 ? `${fixed(head("at the dripper"), 0)} m` : "", shape: "dripper" },
    { name: "drain", told: drain, shape: "drain" },
  ];
  const pitch = 760 / stops.length;
  return (
    <svg viewBox="0 0 760 82" className="chain-drawing" role="img" aria-label={`From source to drain: ${stops.map((s) => `${s.name}${s.told ? ` ${s.told}` : ""}`).join(", ")}`}>
      <path d={`M${pitch / 2} 26 H${760 - pitch / 2}`} stroke={colour.water} strokeWidth="3" />
      {stops.map((s, i) => (
        <g key={s.name} transform={`translate(${pitch * (i + 0.5)} 26)`}>
          <circle r="19" fill="#fff" />
          <path d={SIGN[s.shape]} fill={s.shape === "drop" ? colour.water : "none"} stroke={colour.ink} strokeWidth="2" strokeLinejoin="round" />
          <text y="36" textAnchor="middle" className="axis strong">{s.name}</text>
          <text y="51" textAnchor="middle" className="axis">{s.told}</text>
        </g>
      ))}
    </svg>
  );
}
