import type { Cups } from "../api/client";
import { colour } from "../theme";
import { fixed } from "../units/format";

const LOOK: Record<string, { fill: string; word: string }> = {
  good: { fill: colour.water, word: "" },
  clean: { fill: colour.straw, word: "clean" },
  swap: { fill: colour.clay, word: "swap" },
  worn: { fill: colour.plum, word: "too much" },
};

/** The bed as a strip of cups in order: how full each is, and what to do with its dripper. */
export function CupStrip({ cups }: { cups: Cups["cups"] }) {
  const most = Math.max(...cups.map((c) => c.volume_ml), 1);
  const w = Math.min(58, 860 / cups.length);
  return (
    <svg viewBox={`0 0 ${cups.length * w + 8} 128`} className="cup-strip" role="img"
      aria-label={`${cups.length} cups in bed order. ${cups.map((c, i) => (c.verdict === "good" ? "" : `Dripper ${i + 1}: ${LOOK[c.verdict]?.word ?? c.verdict}. `)).join("")}`}>
      <path d={`M4 12 H${cups.length * w + 4}`} stroke={colour.ink} strokeWidth="3" />
      {cups.map((c, i) => {
        const x = i * w + 6;
        const h = (64 * c.volume_ml) / most;
        const look = LOOK[c.verdict] ?? { fill: colour.water, word: c.verdict };
        return (
          <g key={i}>
            <path d={`M${x + w / 2 - 2} 12 v10`} stroke={colour.ink} strokeWidth="2" />
            <rect x={x + 2} y={92 - h} width={w - 8} height={h} fill={look.fill} />
            <path d={`M${x + 2} 26 V92 h${w - 8} V26`} fill="none" stroke={colour.ink} strokeWidth={c.verdict === "good" ? 1 : 2.4} strokeDasharray={c.verdict === "swap" ? "4 3" : undefined} />
            {w > 24 && <text x={x + w / 2 - 2} y="105" textAnchor="middle" className="axis">{fixed(c.volume_ml, 0)}</text>}
            {w > 38 && look.word && <text x={x + w / 2 - 2} y="121" textAnchor="middle" className="axis strong">{look.word}</text>}
          </g>
        );
      })}
    </svg>
  );
}
