import { fixed } from "../units/format";
import type { Replayed, Ribbon, Tried } from "../api/client";
import type { RibbonData } from "./ribbonScales";

const ms = (at: string) => Date.parse(at);

/** A recorded day with its forecast. */
export function fromRecord(r: Ribbon): RibbonData {
  const f = r.forecast;
  return {
    start: ms(r.start), sunrise: ms(r.sunrise), end: ms(r.end), now: ms(r.now), stepMs: r.step_min * 60_000,
    low: r.low, high: r.high, capacity: r.capacity, theta: r.theta, pore: r.pore_ec_ms_cm, vpd: r.vpd_kpa, light: r.radiation_w_m2,
    feed: r.feed_ec_ms_cm,
    pegs: r.pulses.map((p) => ({ at: ms(p.at), ml: p.ml, state: p.state })),
    drops: r.drops.map((d) => ({ at: ms(d.at), ml: d.ml })),
    marks: r.calibrations.map((c) => ({ at: ms(c.at), text: `calibration ${c.number} of ${c.probe}${c.step_points === null ? "" : `, a step of ${fixed(c.step_points, 1)} points`}` })),
    ahead: f
      ? {
          start: ms(f.start), stepMs: f.step_min * 60_000, theta: f.theta, pegs: f.pulses.map((p) => ({ at: ms(p.at), ml: p.ml })),
          from: f.next_from ? ms(f.next_from) : null, to: f.next_to ? ms(f.next_to) : null,
        }
      : undefined,
  };
}

/** A simulated day, which has no now. */
export function fromSimulation(s: Tried, low: number, high: number, capacity: number): RibbonData {
  return {
    start: ms(s.start), sunrise: ms(s.sunrise), end: ms(s.end), now: null, stepMs: s.step_min * 60_000, low, high, capacity, theta: s.theta,
    pegs: s.pulses.map((p) => ({ at: ms(p.at), ml: p.ml, state: "done" })), drops: s.drops.map((d) => ({ at: ms(d.at), ml: d.ml })),
  };
}

/** A recorded day, with the same day under another programme as its dotted line and dashed pegs. */
export function fromReplay(r: Replayed, low: number, high: number, capacity: number): RibbonData {
  const start = ms(r.start);
  return {
    start, sunrise: ms(r.sunrise), end: ms(r.end), now: null, stepMs: r.step_min * 60_000, low, high, capacity, theta: r.recorded,
    pegs: r.was_pulses.map((p) => ({ at: ms(p.at), ml: p.ml, state: "done" })), drops: [],
    ahead: { start, stepMs: r.instead.step_min * 60_000, theta: r.instead.theta, pegs: r.instead.pulses.map((p) => ({ at: ms(p.at), ml: p.ml })), from: null, to: null },
  };
}
