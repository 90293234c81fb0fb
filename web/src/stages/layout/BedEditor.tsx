import { useQuery } from "@tanstack/react-query";
import { Button, Drawer, Form, Input, InputNumber, Select } from "antd";
import { useMemo, useState } from "react";
import { ApiError, api, problemOf, take, type BedForm, type BedOut, type Layout } from "../../api/client";
import { useChange } from "../../api/queries";
import { Fig } from "../../frame/Fig";

interface Props {
  layout: Layout;
  house: number;
  bed: BedOut | null;
  /** A bed that the new one is to be like. */
  copy?: BedOut | null;
  onClose: () => void;
}

interface FieldSpec {
  name: keyof BedForm;
  label: string;
  unit?: string;
  help?: string;
  shapes?: string[];
  optional?: boolean;
  scale?: number;
}

const NUMBERS: FieldSpec[] = [
  { name: "plants", label: "Plants in the bed" },
  { name: "plants_per_m2", label: "Plants per m²" },
  { name: "leaf_area_index", label: "Leaf area index", unit: "m²/m²", help: "leaf area over ground; 2.5 for a full crop" },
  { name: "fill_l", label: "Filled with", unit: "L", shapes: ["bag"], help: "litres in one bag" },
  { name: "length_cm", label: "Length", unit: "cm", shapes: ["slab", "trough"] },
  { name: "width_cm", label: "Width at the top", unit: "cm", shapes: ["slab", "trough", "bag"] },
  { name: "base_width_cm", label: "Width at the base", unit: "cm", shapes: ["trough"] },
  { name: "top_diameter_cm", label: "Diameter at the top", unit: "cm", shapes: ["pot"] },
  { name: "base_diameter_cm", label: "Diameter at the base", unit: "cm", shapes: ["pot"] },
  { name: "top_side_cm", label: "Side at the top", unit: "cm", shapes: ["square_pot"] },
  { name: "base_side_cm", label: "Side at the base", unit: "cm", shapes: ["square_pot"] },
  { name: "height_cm", label: "Height of the medium", unit: "cm" },
  { name: "plants_per_container", label: "Plants in one container" },
  { name: "rated_flow_ml_min", label: "Rated dripper flow", unit: "mL/min per plant", help: "all drippers of a plant together" },
  { name: "tested_flow_ml_min", label: "Tested dripper flow", unit: "mL/min per plant", help: "from catch cups; leave empty until you have tested" },
  { name: "drippers_per_plant", label: "Drippers per plant" },
  { name: "laterals", label: "Dripper lines in the bed", help: "leave empty if you do not want head loss worked out", optional: true },
  { name: "lateral_length_m", label: "Length of one line", unit: "m", optional: true },
  { name: "lateral_diameter_mm", label: "Inner diameter of the line", unit: "mm", optional: true },
  { name: "dripper_head_m", label: "Head at the dripper", unit: "m" },
  { name: "dripper_exponent", label: "Dripper exponent", help: "0.5 for a plain dripper, 0 for a pressure compensating one" },
  { name: "line_fill_s", label: "Time to fill the line", unit: "s" },
  { name: "feed_ec_ms_cm", label: "Feed conductivity", unit: "mS/cm" },
  { name: "dry_limit", label: "Dry limit", unit: "% v/v", scale: 100 },
];

const RULES: { value: NonNullable<BedForm["probe_rule"]>; label: string }[] = [
  { value: "median", label: "their median: one odd probe does not move it" }, { value: "driest", label: "the driest: no plant is left short" },
  { value: "mean", label: "their mean: every probe counts" }, { value: "not_nearest", label: "their mean without the one nearest to the dripper" },
];

const SHAPES = [
  { value: "slab", label: "slab" }, { value: "trough", label: "trough" }, { value: "pot", label: "round pot" }, { value: "square_pot", label: "square pot" }, { value: "bag", label: "filled bag" },
];

/** Proposals for a new bed: like the last bed of the house, else a common slab. */
function startOf(layout: Layout, house: number): BedForm {
  const neighbours = layout.houses.find((h) => h.id === house)?.beds ?? [];
  const last = neighbours.at(-1)?.form;
  const next = String(Math.max(0, ...layout.houses.flatMap((h) => h.beds.map((b) => Number(b.form.name) || 0))) + 1);
  if (last) return { ...last, name: next, version: 0 };
  return {
    name: next, crop: "", plants: 100, plants_per_m2: 2.5, leaf_area_index: 2.5, shape: "slab", height_cm: 10, plants_per_container: 4, medium: "coir", rated_flow_ml_min: 33,
    line_fill_s: 10, feed_ec_ms_cm: 2.2, dry_limit: 0.486, length_cm: 100, width_cm: 18, drippers_per_plant: 1, dripper_head_m: 10, dripper_exponent: 0.5, version: 0,
  };
}

/** Describe a bed; what follows from it is worked out by the server while typing. */
export default function BedEditor({ layout, house, bed, copy = null, onClose }: Props) {
  const start = useMemo(() => bed?.form ?? (copy ? { ...copy.form, name: startOf(layout, house).name, version: 0 } : startOf(layout, house)), [bed, copy, layout, house]);
  const [form, setForm] = useState<BedForm>(start);
  const proposal = useQuery({
    queryKey: ["bed-proposal", house, form],
    queryFn: () => take(api.POST("/api/houses/{house_id}/beds/propose/", { params: { path: { house_id: house } }, body: form })),
    placeholderData: (p) => p,
    retry: false,
  });
  const save = useChange(
    () =>
      bed
        ? take(api.PUT("/api/beds/{bed_id}/", { params: { path: { bed_id: bed.id } }, body: form }))
        : take(api.POST("/api/houses/{house_id}/beds/", { params: { path: { house_id: house } }, body: form })),
    "layout", "watch", "programme", "plumbing",
  );
  const error = save.error instanceof ApiError ? save.error : null;
  const hint = (name: string) => proposal.data?.problems?.find((p) => p.field === name)?.expected;
  const set = (values: Partial<BedForm>) => setForm((f) => ({ ...f, ...values }));
  const status = (name: string) => ({ validateStatus: error?.at(name) || hint(name) ? ("error" as const) : undefined, help: error?.at(name) ?? (hint(name) ? `expected ${hint(name)}` : undefined) });
  return (
    <Drawer open size={560} onClose={onClose} title={bed ? `Bed ${bed.form.name}` : "A new bed"}
      footer={<div className="actions"><Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>{bed ? "Save the bed" : "Add the bed"}</Button><Button onClick={onClose}>Leave it</Button></div>}>
      {error && error.status === 409 && <p role="alert" className="error">{error.message}</p>}
      {save.isError && !error && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <Form layout="vertical" component="div">
        <div className="form-grid">
          <Form.Item label="Name or number" htmlFor="bed-name" {...status("name")}>
            <Input id="bed-name" value={form.name} maxLength={20} onChange={(e) => set({ name: e.target.value })} />
          </Form.Item>
          <Form.Item label="Crop" htmlFor="bed-crop" {...status("crop")}>
            <Input id="bed-crop" value={form.crop} maxLength={60} onChange={(e) => set({ crop: e.target.value })} />
          </Form.Item>
          <Form.Item label="Growth stage" htmlFor="bed-stage" {...status("growth_stage")}>
            <Input id="bed-stage" value={form.growth_stage ?? ""} maxLength={40} placeholder="young, growing, fruiting…" onChange={(e) => set({ growth_stage: e.target.value })} />
          </Form.Item>
          <Form.Item label="Medium" htmlFor="bed-medium" {...status("medium")}>
            <Select id="bed-medium" aria-label="Medium" value={form.medium} options={layout.media.map((m) => ({ value: m.code, label: m.name }))} onChange={(medium) => set({ medium })} />
          </Form.Item>
          <Form.Item label="Container" htmlFor="bed-shape" {...status("shape")}>
            <Select id="bed-shape" aria-label="Container" value={form.shape} options={SHAPES} onChange={(shape) => set({ shape })} />
          </Form.Item>
          <Form.Item label="Several probes count as" htmlFor="bed-rule" extra="with one probe every rule gives that probe" {...status("probe_rule")}>
            <Select id="bed-rule" aria-label="Several probes count as" value={form.probe_rule ?? "median"} options={RULES} onChange={(probe_rule) => set({ probe_rule })} />
          </Form.Item>
          {NUMBERS.filter((f) => !f.shapes || f.shapes.includes(form.shape)).map((f) => {
            const held = form[f.name] as number | null;
            return (
              <Form.Item key={f.name} label={f.label} htmlFor={`bed-${f.name}`} extra={f.help} {...status(f.name)}>
                <InputNumber id={`bed-${f.name}`} style={{ width: "100%" }} suffix={f.unit} value={held === null || held === undefined ? null : Number((held * (f.scale ?? 1)).toFixed(3))}
                  onChange={(v) => set({ [f.name]: v === null ? null : Number(v) / (f.scale ?? 1) } as Partial<BedForm>)} />
                {f.name === "dry_limit" && proposal.data?.proposed?.dry_limit !== undefined && (
                  <button type="button" className="quiet-button" onClick={() => set({ dry_limit: proposal.data?.proposed.dry_limit ?? form.dry_limit })}>
                    take {(100 * proposal.data.proposed.dry_limit).toFixed(1)} %, {proposal.data.origin.dry_limit}
                  </button>
                )}
              </Form.Item>
            );
          })}
        </div>
      </Form>
      {proposal.data && (
        <div className="follows">
          <b>What follows</b>
          {Object.entries({ container: "one container", volume: "substrate per plant", ml_per_point: "one point of water content", easily: "easily usable water", capacity: "capacity", flow: "bed flow" }).map(([key, label]) => {
            const figure = proposal.data.figures[key];
            return figure ? <div key={key}><span className="quiet">{label}</span> <Fig figure={figure} label={label} source /></div> : null;
          })}
        </div>
      )}
    </Drawer>
  );
}
