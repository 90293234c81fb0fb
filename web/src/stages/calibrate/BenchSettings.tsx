import { Form } from "antd";
import { useState } from "react";
import { ApiError, api, take, type Bench } from "../../api/client";
import { useChange } from "../../api/queries";
import { NumberField } from "../../frame/Field";
import { fixed } from "../../units/format";

const FIELDS: Record<string, { name: string; label: string; unit: string; extra?: string }[]> = {
  weighed: [
    { name: "container_g", label: "Pot, probe and cable", unit: "g", extra: "the tare: empty pot with everything that stays on the scale" },
    { name: "dry_g", label: "Dry mix", unit: "g" },
    { name: "volume_l", label: "Volume of the mix", unit: "L" },
    { name: "temp_c", label: "Water", unit: "°C" },
  ],
  ec_standards: [
    { name: "second_ec", label: "The first standard read again, warmer or colder", unit: "mS/cm", extra: "optional: gives the temperature coefficient" },
    { name: "second_temp_c", label: "at", unit: "°C" },
  ],
};

/** What a bench is asked once. A weighed series cannot begin without it; elsewhere it is folded away. */
export function BenchSettings({ bench, mayChange }: { bench: Bench; mayChange: boolean }) {
  const fields = FIELDS[bench.method.code];
  const [form, setForm] = useState<Record<string, number | null>>({});
  const save = useChange(
    (settings: Record<string, number | null>) => take(api.PUT("/api/channels/{channel_id}/bench/settings/", { params: { path: { channel_id: bench.id } }, body: { method: bench.method.code, settings } })),
    "bench",
  );
  const scale = useChange(() => take(api.GET("/api/channels/{channel_id}/scale/", { params: { path: { channel_id: bench.id } } })));
  if (!fields || !mayChange) return null;
  const known = bench.settings;
  const complete = fields.slice(0, 3).every((f) => known[f.name] !== undefined);
  const error = save.error instanceof ApiError ? save.error : null;
  const needed = bench.method.code === "weighed" && !complete;
  return (
    <details className="point" open={needed || undefined}>
      <summary>{needed ? "First: what the pot weighs" : complete ? `Pot ${fixed(known.container_g, 0)} g, dry mix ${fixed(known.dry_g, 0)} g, ${fixed(known.volume_l, 2)} L` : "More about these standards"}</summary>
      <Form layout="vertical" component="div">
      {fields.map((f) => (
        <NumberField key={f.name} label={f.label} unit={f.unit} extra={f.extra} value={form[f.name] ?? known[f.name] ?? null} error={error?.at(f.name)} onChange={(v) => setForm({ ...form, [f.name]: v })} />
      ))}
      </Form>
      {bench.hands?.scale && <button type="button" className="quiet-button" onClick={() => scale.mutate(undefined, { onSuccess: (w) => setForm({ container_g: w.container_g, dry_g: w.dry_g, volume_l: w.volume_l, temp_c: 20 }) })}>take the stand-in&apos;s pot</button>}
      {scale.isError && <p role="alert" className="error">The stand-in&apos;s pot is not on the scale: put the probe in the pot first.</p>}
      <button type="button" className="button" disabled={save.isPending} onClick={() => save.mutate(form)}>Keep</button>
      {error && !fields.some((f) => error.at(f.name)) && <p role="alert" className="error">{error.message}</p>}
    </details>
  );
}
