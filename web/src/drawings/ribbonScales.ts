import { scaleLinear, type ScaleLinear } from "d3-scale";

/** What a day ribbon draws: a record with its forecast, or a simulated day. Times as epoch milliseconds. */
export interface RibbonData {
  start: number;
  sunrise: number;
  end: number;
  now: number | null;
  stepMs: number;
  low: number | null;
  high: number | null;
  capacity: number;
  theta: (number | null)[];
  pore?: (number | null)[];
  vpd?: (number | null)[];
  light?: (number | null)[];
  feed?: number;
  pegs: { at: number; ml: number; state: string }[];
  drops: { at: number; ml: number }[];
  ahead?: { start: number; stepMs: number; theta: (number | null)[]; pegs: { at: number; ml: number }[]; from: number | null; to: number | null };
  marks?: { at: number; text: string }[];
}

export interface Scales {
  x: ScaleLinear<number, number>;
  theta: ScaleLinear<number, number>;
  peg: (ml: number) => number;
  left: number;
  right: number;
  water: { top: number; bottom: number };
  drain: number;
  feed: { top: number; bottom: number } | null;
  air: { top: number; bottom: number } | null;
  height: number;
  narrow: boolean;
}

const finite = (values: (number | null | undefined)[]): number[] => values.filter((v): v is number => typeof v === "number" && Number.isFinite(v));

/** Lays the tracks out in a width; the water track takes what the others leave. */
export function layOut(data: RibbonData, width: number, height: number): Scales {
  const left = width < 520 ? 50 : 74;
  const right = width - (width < 520 ? 6 : 14);
  const feedHeight = data.pore ? 52 : 0;
  const airHeight = data.light ? 62 : 0;
  const bottom = height - 22 - airHeight - feedHeight;
  const water = { top: 66, bottom: bottom - 22 };
  const levels = finite([...data.theta, ...(data.ahead?.theta ?? []), data.low, data.high]);
  const least = Math.min(...(levels.length ? levels : [0]));
  const most = Math.max(...(levels.length ? levels : [data.capacity]));
  const pad = Math.max(0.006, (most - least) * 0.07);
  const largest = Math.max(...[...data.pegs, ...(data.ahead?.pegs ?? [])].map((p) => p.ml), 1);
  return {
    x: scaleLinear([data.start, data.end], [left, right]),
    theta: scaleLinear([least - pad, most + pad], [water.bottom, water.top]),
    peg: (ml) => 10 + (28 * ml) / largest,
    left,
    right,
    water,
    drain: bottom - 10,
    feed: feedHeight ? { top: bottom + 4, bottom: bottom + feedHeight - 6 } : null,
    air: airHeight ? { top: bottom + feedHeight + 4, bottom: bottom + feedHeight + airHeight - 6 } : null,
    height,
    narrow: width < 560,
  };
}

/** Ticks at whole hours after sunrise; three on a narrow screen. */
export function sunTicks(data: RibbonData, narrow: boolean): { at: number; text: string }[] {
  const hour = 3_600_000;
  if (data.end - data.start > 36 * hour) {
    const days = Array.from({ length: Math.ceil((data.end - data.sunrise) / (24 * hour)) }, (_, i) => ({ at: data.sunrise + i * 24 * hour, text: narrow ? `${i + 1}` : `sunrise ${i + 1}` }));
    return days.filter((d) => d.at < data.end);
  }
  const ticks = [{ at: data.sunrise, text: "sunrise" }];
  const step = narrow ? 6 : 3;
  for (let h = step; data.sunrise + h * hour < data.end - (narrow ? 3 : 2.4) * hour; h += step) ticks.push({ at: data.sunrise + h * hour, text: `+ ${h} h` });
  if (!narrow) ticks.push({ at: data.end, text: "sunset" });
  return ticks;
}

/** The value of a track at a moment; null outside it. */
export function valueAt(values: (number | null)[] | undefined, start: number, stepMs: number, at: number): number | null {
  return values?.[Math.floor((at - start) / stepMs)] ?? null;
}

export const scaleOf = (values: (number | null)[], bottom: number, top: number, floor = 0): ScaleLinear<number, number> => {
  const known = finite(values);
  return scaleLinear([Math.min(floor, ...known), Math.max(floor + 0.1, ...known)], [bottom, top]);
};
