import { Form, Input, InputNumber, Select } from "antd";
import { useId } from "react";
import { ApiError } from "../api/client";
import { inChosen, inside } from "../units/choice";

/** A refusal at its field. */
export const at = (error: unknown, name: string): string | undefined => (error instanceof ApiError ? error.at(name) : undefined);

interface Common {
  label: string;
  error?: string | undefined;
  extra?: string | undefined;
}

export function NumberField({ label, value, unit, error, extra, scale = 1, digits = 3, onChange }: Common & {
  value: number | null | undefined;
  unit?: string;
  scale?: number;
  digits?: number;
  onChange: (value: number | null) => void;
}) {
  const id = useId();
  const shown = inChosen(value === null || value === undefined ? null : value * scale, unit ?? "", digits);
  return (
    <Form.Item label={label} htmlFor={id} validateStatus={error ? "error" : undefined} help={error} extra={extra}>
      <InputNumber id={id} style={{ width: "100%" }} value={shown.value === null ? null : Number(shown.value.toFixed(shown.digits))} suffix={shown.unit} onChange={(v) => onChange(v === null ? null : inside(Number(v), unit ?? "") / scale)} />
    </Form.Item>
  );
}

export function TextField({ label, value, error, extra, maxLength = 80, onChange }: Common & { value: string; maxLength?: number; onChange: (value: string) => void }) {
  const id = useId();
  return (
    <Form.Item label={label} htmlFor={id} validateStatus={error ? "error" : undefined} help={error} extra={extra}>
      <Input id={id} value={value} maxLength={maxLength} onChange={(e) => onChange(e.target.value)} />
    </Form.Item>
  );
}

export function ChoiceField<T extends string | number>({ label, value, options, error, extra, onChange }: Common & {
  value: T | null;
  options: { value: T; label: string }[];
  onChange: (value: T) => void;
}) {
  const id = useId();
  return (
    <Form.Item label={label} htmlFor={id} validateStatus={error ? "error" : undefined} help={error} extra={extra}>
      <Select id={id} aria-label={label} value={value} options={options} onChange={(v) => onChange(v as T)} />
    </Form.Item>
  );
}
