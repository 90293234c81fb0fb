/** Numbers and times as people read them. Units come from the API; nothing is computed here but display. */

import { inChosen } from "./choice";

export const fixed = (value: number | null | undefined, digits: number): string =>
  value === null || value === undefined || Number.isNaN(value)
    ? "–"
    : value.toLocaleString("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits }).replaceAll(",", "\u202f");

/** A number with its unit, in the unit the person chose. */
export function withUnit(value: number | null | undefined, unit: string, digits: number): string {
  const shown = inChosen(value, unit, digits);
  return `${fixed(shown.value, shown.digits)} ${shown.unit}`;
}

export const percent = (theta: number | null | undefined, digits = 1): string =>
  theta === null || theta === undefined ? "–" : `${fixed(theta * 100, digits)} %`;

const formatters = new Map<string, Intl.DateTimeFormat>();

function formatter(zone: string, kind: "clock" | "day" | "seconds"): Intl.DateTimeFormat {
  const key = `${zone}/${kind}`;
  let found = formatters.get(key);
  if (!found) {
    const clock = { hour: "2-digit", minute: "2-digit", hourCycle: "h23" } as const;
    const options: Intl.DateTimeFormatOptions =
      kind === "day" ? { weekday: "short", day: "numeric", month: "long" } : kind === "seconds" ? { ...clock, second: "2-digit" } : clock;
    found = new Intl.DateTimeFormat("en-GB", { timeZone: zone, ...options });
    formatters.set(key, found);
  }
  return found;
}

export const clock = (at: string | number | Date, zone: string): string => formatter(zone, "clock").format(new Date(at));
export const clockSeconds = (at: string | number | Date, zone: string): string => formatter(zone, "seconds").format(new Date(at));
export const dayName = (at: string | number | Date, zone: string): string => formatter(zone, "day").format(new Date(at));

/** How long ago, by the site's own clock. */
export function age(at: string | null | undefined, now: string): string {
  if (!at) return "never";
  const seconds = Math.max(0, (Date.parse(now) - Date.parse(at)) / 1000);
  if (seconds < 100) return `${Math.round(seconds)} s ago`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min ago`;
  return seconds < 129600 ? `${Math.round(seconds / 3600)} h ago` : `${Math.round(seconds / 86400)} days ago`;
}

export function sinceSunrise(now: string, sunrise: string): string {
  const minutes = Math.round((Date.parse(now) - Date.parse(sunrise)) / 60000);
  const text = `${Math.floor(Math.abs(minutes) / 60)} h ${String(Math.abs(minutes) % 60).padStart(2, "0")}`;
  return `sunrise ${minutes < 0 ? "−" : "+"} ${text}`;
}

export const seconds = (value: number | null | undefined): string => {
  if (value === null || value === undefined) return "–";
  const whole = Math.round(value);
  return whole < 120 ? `${whole} s` : `${Math.floor(whole / 60)} min ${String(whole % 60).padStart(2, "0")} s`;
};

export const millilitres = (value: number): string => (value < 1000 ? `${fixed(value, 0)} mL` : `${fixed(value / 1000, 2)} L`);

/** Names one after the other; of many, the first ones, the last, and how many there are. */
export const counted = (names: string[], most = 8): string => (names.length <= most ? names.join(", ") : `${names.slice(0, most - 2).join(", ")} … ${names.at(-1) ?? ""} (${names.length})`);

export const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
