import type { Schemas } from "../api/client";

/** Units the person chose, by the label the API gives the inside unit; set once a session, before anything is drawn. */
export type UnitChoice = Schemas["UnitChoice"];

const chosen = new Map<string, UnitChoice>();
let view = "theta";

export function setUnits(units: UnitChoice[]): void {
  chosen.clear();
  for (const u of units.filter((u) => u.chosen)) {
    if (u.quantity === "water") view = u.code;
    else if (u.label !== u.inside) chosen.set(u.inside, u);
  }
}

/** How the person reads a bed's water first: theta, relative, water or raw. */
export const waterView = (): string => view;

export interface Shown {
  value: number | null;
  unit: string;
  digits: number;
}

/** A number of the API in the unit the person reads; a unit without a choice stays as it is. */
export function inChosen(value: number | null | undefined, unit: string, digits: number): Shown {
  const u = chosen.get(unit);
  const known = value === undefined ? null : value;
  if (!u) return { value: known, unit, digits };
  return { value: known === null ? null : known * u.factor + u.offset, unit: u.label, digits: Math.max(0, digits - u.fewer_digits) };
}

/** What was typed in the chosen unit, in the inside unit. */
export function inside(value: number, unit: string): number {
  const u = chosen.get(unit);
  return u ? (value - u.offset) / u.factor : value;
}
