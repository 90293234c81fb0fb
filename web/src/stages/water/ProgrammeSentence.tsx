import { useState } from "react";
import type { ProgrammeForm } from "../../api/client";

type Field = Exclude<keyof ProgrammeForm, "number">;

interface Props {
  draft: ProgrammeForm;
  origin: Record<string, string>;
  problems: Record<string, string | undefined>;
  disabled: boolean;
  onChange: (field: Field, value: number) => void;
}

/** A programme as a readable paragraph whose numbers are edited in place. */
export function ProgrammeSentence(props: Props) {
  const number = (field: Field, unit: string, label: string, scale = 1, digits = 0) => (
    <InPlace key={field} value={props.draft[field] * scale} digits={digits} unit={unit} label={label} origin={props.origin[field]} problem={props.problems[field]} disabled={props.disabled}
      onChange={(v) => props.onChange(field, v / scale)} />
  );
  const said = Object.entries(props.problems).filter((p): p is [string, string] => Boolean(p[1]));
  return (
    <div className="sentence">
      <p>
        <b>Between</b> sunrise + {number("start_after_sunrise_min", "min", "Start after sunrise in minutes")} and sunset − {number("stop_before_sunset_min", "min", "Stop before sunset in minutes")},
        when the water content falls below {number("low", "%", "Low in % v/v", 100, 1)}, <b>give</b> {number("dose_ml_per_plant", "mL", "Dose in mL per plant")} per plant, then
        wait at least {number("soak_min", "min", "Soak in minutes")} for it to spread, and look again, until it is back at {number("high", "%", "High in % v/v", 100, 1)}.
      </p>
      <p>
        Outside these hours <b>rescue</b> it below {number("rescue", "%", "Rescue level in % v/v", 100, 1)}. After {number("tries", "", "Tries")} pulses that do not reach the high, stop and
        call a person. <b>Never</b> more than {number("daily_cap_ml_per_plant", "mL", "Daily cap in mL per plant")} per plant a day, and nothing on a reading older
        than {number("stale_after_s", "min", "Oldest reading in minutes", 1 / 60, 0)}.
      </p>
      {said.length > 0 && (
        <ul className="error" role="alert">
          {said.map(([field, text]) => <li key={field}><b>{NAMES[field as Field] ?? field}</b>: {text}</li>)}
        </ul>
      )}
    </div>
  );
}

const NAMES: Record<Field, string> = {
  start_after_sunrise_min: "Start", stop_before_sunset_min: "Stop", low: "Low", high: "High", rescue: "Rescue", dose_ml_per_plant: "Dose", soak_min: "Soak", tries: "Tries",
  daily_cap_ml_per_plant: "Daily cap", stale_after_s: "Oldest reading",
};

interface InPlaceProps {
  value: number;
  digits: number;
  unit: string;
  label: string;
  origin?: string;
  problem?: string;
  disabled: boolean;
  onChange: (value: number) => void;
}

function InPlace({ value, digits, unit, label, origin, problem, disabled, onChange }: InPlaceProps) {
  const [text, setText] = useState<string | null>(null);
  const shown = text ?? value.toFixed(digits);
  return (
    <span className={`in-place ${problem ? "wrong" : ""}`} title={problem ?? origin}>
      <input inputMode="decimal" aria-label={origin ? `${label} (${origin})` : label} aria-invalid={Boolean(problem)} disabled={disabled} value={shown} style={{ width: `${Math.max(1, shown.length) + 0.35}ch` }}
        onChange={(e) => {
          setText(e.target.value);
          const typed = Number(e.target.value.replace(",", "."));
          if (e.target.value.trim() !== "" && Number.isFinite(typed)) onChange(typed);
        }}
        onFocus={(e) => e.target.select()} onBlur={() => setText(null)}
        onKeyDown={(e) => {
          if (e.key !== "ArrowUp" && e.key !== "ArrowDown") return;
          const step = (digits ? 0.5 : value >= 100 ? 5 : 1) * (e.key === "ArrowUp" ? 1 : -1);
          setText(null);
          onChange(Number((value + step).toFixed(digits)));
          e.preventDefault();
        }} />
      {unit && <span className="unit">{unit === "%" ? " %" : ` ${unit}`}</span>}
    </span>
  );
}
