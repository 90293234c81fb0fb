import { Button, Drawer, Form, Select } from "antd";
import { useState } from "react";
import { api, problemOf, take, type Layout, type PumpOut, type SourceOut, type TankOut } from "../../api/client";
import { useChange } from "../../api/queries";
import { at, ChoiceField, NumberField, TextField } from "../../frame/Field";

const WATERS = [
  { value: "mains", label: "mains" }, { value: "well", label: "well" }, { value: "rain", label: "rain" }, { value: "surface", label: "surface water" }, { value: "osmosis", label: "reverse osmosis" },
];
const ANALYSIS = [
  ["ec_ms_cm", "Conductivity", "mS/cm"], ["ph", "pH", ""], ["bicarbonate_mmol_l", "Bicarbonate", "mmol/L"], ["calcium_mg_l", "Calcium", "mg/L"], ["magnesium_mg_l", "Magnesium", "mg/L"],
  ["sodium_mg_l", "Sodium", "mg/L"], ["chloride_mg_l", "Chloride", "mg/L"], ["sulphate_mg_l", "Sulphate", "mg/L"], ["nitrate_mg_l", "Nitrate", "mg/L"], ["iron_mg_l", "Iron", "mg/L"],
] as const;

export function SourceEditor({ site, row, onClose }: { site: number; row: SourceOut | null; onClose: () => void }) {
  const [form, setForm] = useState<SourceOut["form"]>(row?.form ?? { name: "", kind: "mains" });
  const save = useChange(
    () => row
      ? take(api.PUT("/api/water-sources/{source_id}/", { params: { path: { source_id: row.id } }, body: form }))
      : take(api.POST("/api/sites/{site_id}/water-sources/", { params: { path: { site_id: site } }, body: form })),
    "plumbing",
  );
  return (
    <Drawer open size={480} title={row ? row.form.name : "A water source"} onClose={onClose} footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Keep the source</Button>}>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <Form layout="vertical" component="div">
        <TextField label="Name" value={form.name} error={at(save.error, "name")} onChange={(name) => setForm({ ...form, name })} />
        <ChoiceField label="Kind of water" value={form.kind} options={WATERS} error={at(save.error, "kind")} onChange={(kind) => setForm({ ...form, kind })} />
        <Form.Item label="Sampled on" htmlFor="sampled-on"><input id="sampled-on" type="date" className="plain-input" value={form.sampled_on ?? ""} onChange={(e) => setForm({ ...form, sampled_on: e.target.value || null })} /></Form.Item>
        <p className="quiet">From the laboratory’s sheet; leave empty what it does not say.</p>
        <div className="form-grid">
          {ANALYSIS.map(([name, label, unit]) => <NumberField key={name} label={label} unit={unit} value={form[name]} error={at(save.error, name)} onChange={(v) => setForm({ ...form, [name]: v })} />)}
        </div>
      </Form>
    </Drawer>
  );
}

const SHAPES = [
  { value: "", label: "only its litres are known" }, { value: "box", label: "upright box" }, { value: "upright", label: "upright cylinder" }, { value: "lying", label: "lying cylinder" },
];
const SIDES: Record<string, ("length_cm" | "width_cm" | "diameter_cm" | "height_cm")[]> = { box: ["length_cm", "width_cm", "height_cm"], upright: ["diameter_cm", "height_cm"], lying: ["diameter_cm", "length_cm"] };
const SIDE_NAMES = { length_cm: "Inner length", width_cm: "Inner width", diameter_cm: "Inner diameter", height_cm: "Inner height" };

export function TankEditor({ site, row, sources, onClose }: { site: number; row: TankOut | null; sources: SourceOut[]; onClose: () => void }) {
  const [form, setForm] = useState<TankOut["form"]>(row?.form ?? { name: "Day tank", capacity_l: 1000, warn_l: 250, empty_l: 100, overfill_l: 950, source: sources[0]?.id ?? null });
  const save = useChange(
    () => row
      ? take(api.PUT("/api/tanks/{tank_id}/", { params: { path: { tank_id: row.id } }, body: form }))
      : take(api.POST("/api/sites/{site_id}/tanks/", { params: { path: { site_id: site } }, body: form })),
    "plumbing", "layout", "watch",
  );
  const number = (name: "capacity_l" | "warn_l" | "empty_l" | "overfill_l" | "sensor_height_cm" | "length_cm" | "width_cm" | "diameter_cm" | "height_cm", label: string, unit: string, extra?: string) => (
    <NumberField key={name} label={label} unit={unit} value={form[name]} extra={extra} error={at(save.error, name)} onChange={(v) => setForm({ ...form, [name]: v })} />
  );
  const shape = form.shape ?? "";
  return (
    <Drawer open size={440} title={row ? row.form.name : "A tank"} onClose={onClose} footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Keep the tank</Button>}>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <Form layout="vertical" component="div">
        <TextField label="Name" value={form.name} error={at(save.error, "name")} onChange={(name) => setForm({ ...form, name })} />
        <ChoiceField<string> label="Shape" value={shape} options={SHAPES} onChange={(s) => setForm({ ...form, shape: (s || null) as TankOut["form"]["shape"] ?? null })} />
        {(SIDES[shape] ?? []).map((side) => number(side, SIDE_NAMES[side], "cm"))}
        {shape === "" ? number("capacity_l", "Holds", "L") : <p className="quiet">Its litres follow from its sides.</p>}
        {number("overfill_l", "Overfill level", "L", "an overflow pipe stays in any case")}
        {number("warn_l", "Warning level", "L")}
        {number("empty_l", "Empty level: no pump starts at or under it", "L")}
        {shape !== "" && number("sensor_height_cm", "Distance sensor above the floor", "cm", "leave empty without one")}
        {sources.length > 0 && <ChoiceField label="Filled from" value={form.source ?? null} options={sources.map((s) => ({ value: s.id, label: s.form.name }))} onChange={(source) => setForm({ ...form, source })} />}
      </Form>
    </Drawer>
  );
}

export function PumpEditor({ site, row, tanks, layout, onClose }: { site: number; row: PumpOut | null; tanks: TankOut[]; layout: Layout; onClose: () => void }) {
  const beds = layout.houses.flatMap((h) => h.beds.map((b) => ({ value: b.id, label: `${b.form.name}, ${h.form.name}` })));
  const [form, setForm] = useState<PumpOut["form"]>(row?.form ?? { name: "Pump", tank: tanks[0]?.id ?? 0, flow_l_min: 20, rated_head_m: 25, lift_m: 1, filter_loss_m: 2, injector_loss_m: 0, beds: beds.map((b) => b.value) });
  const save = useChange(
    () => row
      ? take(api.PUT("/api/pumps/{pump_id}/", { params: { path: { pump_id: row.id } }, body: form }))
      : take(api.POST("/api/sites/{site_id}/pumps/", { params: { path: { site_id: site } }, body: form })),
    "plumbing", "layout", "watch", "programme",
  );
  const number = (name: "flow_l_min" | "rated_head_m" | "shutoff_head_m" | "lift_m" | "filter_loss_m" | "injector_loss_m" | "injector_ratio_pct" | "main_length_m" | "main_diameter_mm", label: string, unit: string, extra?: string) => (
    <NumberField label={label} unit={unit} value={form[name]} extra={extra} error={at(save.error, name)} onChange={(v) => setForm({ ...form, [name]: v ?? (name.endsWith("loss_m") || name === "lift_m" ? 0 : null) } as PumpOut["form"])} />
  );
  return (
    <Drawer open size={500} title={row ? row.form.name : "A pump and its line"} onClose={onClose} footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Keep the pump</Button>}>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <Form layout="vertical" component="div">
        <TextField label="Name" value={form.name} error={at(save.error, "name")} onChange={(name) => setForm({ ...form, name })} />
        <ChoiceField label="Draws from" value={form.tank} options={tanks.map((t) => ({ value: t.id, label: t.form.name }))} error={at(save.error, "tank")} onChange={(tank) => setForm({ ...form, tank })} />
        <div className="form-grid">
          {number("flow_l_min", "Rated flow", "L/min")}
          {number("rated_head_m", "at a head of", "m", "1 bar is 10.2 m; empty: the flow is taken as given at the beds")}
          {number("shutoff_head_m", "Head at no flow", "m", "empty: 1.25 times the rated head")}
          {number("lift_m", "Drippers above lowest water", "m")}
          {number("filter_loss_m", "Lost in the filter", "m")}
          {number("injector_loss_m", "Lost in the injector", "m")}
          {number("injector_ratio_pct", "Injector ratio", "%", "empty without one")}
          {number("main_length_m", "Main pipe", "m")}
          {number("main_diameter_mm", "Its inner diameter", "mm")}
        </div>
        <Form.Item label="Feeds beds" htmlFor="pump-beds" validateStatus={at(save.error, "beds") ? "error" : undefined} help={at(save.error, "beds")}>
          <Select id="pump-beds" aria-label="Feeds beds" mode="multiple" value={form.beds} options={beds} onChange={(chosen) => setForm({ ...form, beds: chosen })} />
        </Form.Item>
      </Form>
    </Drawer>
  );
}
