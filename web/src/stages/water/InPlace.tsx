import { useState } from "react";
import { clockText, minuteOf, type Shape } from "./settings";

interface Props {
  value: number;
  shape: Shape;
  label: string;
  origin?: string | undefined;
  problem?: string | undefined;
  disabled: boolean;
  onChange: (value: number) => void;
}

/** A number in a sentence, edited where it stands. Arrow keys move it by a step. */
export function InPlace({ value, shape, label, origin, problem, disabled, onChange }: Props) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? (shape.clock ? clockText(value) : (value * shape.scale).toFixed(shape.digits));
  const typed = (t: string) => {
    const minute = shape.clock ? minuteOf(t) : null;
    const number = shape.clock ? minute : t.trim() === "" ? null : Number(t.replace(",", "."));
    if (number !== null && Number.isFinite(number)) onChange(shape.clock ? number : number / shape.scale);
  };
  return (
    <span className={`in-place ${problem ? "wrong" : ""}`} title={problem ?? origin}>
      <input inputMode={shape.clock ? "text" : "decimal"} aria-label={origin ? `${label} (${origin})` : label} aria-invalid={Boolean(problem)} disabled={disabled} value={shown} style={{ width: `${Math.max(1, shown.length) + 0.35}ch` }}
        onChange={(e) => {
          setText(e.target.value);
          typed(e.target.value);
        }}
        onFocus={(e) => e.target.select()} onBlur={() => setText(null)}
        onKeyDown={(e) => {
          if (e.key !== "ArrowUp" && e.key !== "ArrowDown") return;
          const step = shape.clock ? 5 : shape.digits ? 0.5 : value * shape.scale >= 100 ? 5 : 1;
          setText(null);
          const moved = value * shape.scale + (e.key === "ArrowUp" ? step : -step);
          onChange(shape.clock ? Math.max(0, Math.min(1439, moved)) : Number(moved.toFixed(shape.digits)) / shape.scale);
          e.preventDefault();
        }} />
      {shape.unit && <span className="unit"> {shape.unit}</span>}
    </span>
  );
}

/** A choice in a sentence, made where it stands. */
export function Pick<T extends string>({ value, options, label, disabled, onChange }: { value: T; options: readonly { value: T; text: string }[]; label: string; disabled: boolean; onChange: (value: T) => void }) {
  return (
    <select className="pick" aria-label={label} value={value} disabled={disabled} onChange={(e) => onChange(e.target.value as T)}>
      {options.map((o) => <option key={o.value} value={o.value}>{o.text}</option>)}
    </select>
  );
}

/** Clock times as they are typed: 07:30, 11:00. */
export function Times({ value, disabled, onChange }: { value: number[]; disabled: boolean; onChange: (value: number[]) => void }) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? value.map(clockText).join(", ");
  const read = (t: string): number[] | null => {
    const minutes = t.split(/[,;\s]+/).filter(Boolean).map(minuteOf);
    return minutes.every((m): m is number => m !== null) ? [...new Set(minutes)].sort((a, b) => a - b) : null;
  };
  const wrong = read(shown) === null;
  return (
    <span className={`in-place times ${wrong ? "wrong" : ""}`}>
      <input aria-label="Clock times" aria-invalid={wrong} disabled={disabled} value={shown} style={{ width: `${Math.min(64, Math.max(6, shown.length)) + 0.5}ch` }}
        onChange={(e) => {
          setText(e.target.value);
          const minutes = read(e.target.value);
          if (minutes) onChange(minutes);
        }} onBlur={() => !wrong && setText(null)} />
      {wrong && <span className="error"> times read as 07:30, 11:00</span>}
    </span>
  );
}
