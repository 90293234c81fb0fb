import { Button, Checkbox, Drawer, Form, Input, InputNumber, Switch } from "antd";
import { useState } from "react";
import { ApiError, api, take, type HouseOut, type Layout } from "../../api/client";
import { useChange } from "../../api/queries";
import { ChoiceField } from "../../frame/Field";

interface Props {
  layout: Layout;
  /** undefined: the site itself; null: a new house. */
  house: HouseOut | null | undefined;
  onClose: () => void;
}

export default function PlaceEditors({ layout, house, onClose }: Props) {
  return house === undefined ? <SiteEditor layout={layout} onClose={onClose} /> : <HouseEditor layout={layout} house={house} onClose={onClose} />;
}

const COVERS: { value: NonNullable<HouseOut["form"]["cover"]>; label: string }[] = [
  { value: "glass", label: "glass" }, { value: "diffuse_glass", label: "diffuse glass" }, { value: "film", label: "plastic film" },
  { value: "double_film", label: "double film, inflated" }, { value: "sheet", label: "twin-wall sheet" }, { value: "net", label: "net" }, { value: "open", label: "open air" },
];
const GEAR_CAUTIONS: Record<string, string> = {
  co2: "CO2 suffocates without a warning: fit a room monitor, keep to the local exposure limit, air the house before working in it.",
  lamps: "Lamps: they dazzle and are hot; mains over wet benches needs a licensed electrician and residual-current protection.",
  fans: "Fans start by themselves: guards on, isolate before reaching in.",
  vents: "Vents and screens move by themselves and crush: keep hands out, isolate before work.",
  heaters: "Heaters burn fuel or carry mains: flue, gas and mains work belongs to licensed people.",
};

const item = (error: ApiError | null, name: string) => ({ validateStatus: error?.at(name) ? ("error" as const) : undefined, help: error?.at(name) });

function SiteEditor({ layout, onClose }: { layout: Layout; onClose: () => void }) {
  const [form, setForm] = useState(layout.form);
  const save = useChange(() => take(api.PUT("/api/sites/{site_id}/", { params: { path: { site_id: layout.id } }, body: form })), "layout", "watch");
  const error = save.error instanceof ApiError ? save.error : null;
  const number = (name: "latitude" | "longitude" | "altitude_m", label: string, unit: string) => (
    <Form.Item label={label} htmlFor={`site-${name}`} {...item(error, name)}>
      <InputNumber id={`site-${name}`} style={{ width: "100%" }} value={form[name]} suffix={unit} onChange={(v) => setForm({ ...form, [name]: Number(v ?? 0) })} />
    </Form.Item>
  );
  return (
    <Drawer open size={420} title="The site" onClose={onClose} footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Save the site</Button>}>
      {error?.status === 409 && <p role="alert" className="error">{error.message}</p>}
      <Form layout="vertical" component="div">
        <Form.Item label="Name" htmlFor="site-name" {...item(error, "name")}><Input id="site-name" value={form.name} onChange={(e) => setForm({ ...form, name: e.target.value })} /></Form.Item>
        {number("latitude", "Latitude", "° north")}
        {number("longitude", "Longitude", "° east")}
        {number("altitude_m", "Height above the sea", "m")}
        <Button onClick={() => void take(api.POST("/api/zone/", { body: { latitude: form.latitude, longitude: form.longitude } })).then((z) => setForm((f) => ({ ...f, time_zone: z.time_zone })))}>Propose the time zone of this position</Button>
        <Form.Item label="Time zone" htmlFor="site-zone" {...item(error, "time_zone")}><Input id="site-zone" value={form.time_zone} onChange={(e) => setForm({ ...form, time_zone: e.target.value })} /></Form.Item>
      </Form>
    </Drawer>
  );
}

function HouseEditor({ layout, house, onClose }: { layout: Layout; house: HouseOut | null; onClose: () => void }) {
  const [form, setForm] = useState<HouseOut["form"]>(house?.form ?? { name: "", transmission: 0.68, drain_returned: false, cover: "glass", screens: [], gear: [], whitewashed_on: null, version: 0 });
  const ticked = (name: "screens" | "gear", label: string) => (
    <Form.Item label={label} {...item(error, name)}>
      <Checkbox.Group aria-label={label} value={form[name] ?? []} options={Object.entries(layout[name]).map(([value, words]) => ({ value, label: words }))} onChange={(v) => setForm({ ...form, [name]: v })} />
    </Form.Item>
  );
  const save = useChange(
    () =>
      house
        ? take(api.PUT("/api/houses/{house_id}/", { params: { path: { house_id: house.id } }, body: form })).then(() => undefined)
        : take(api.POST("/api/sites/{site_id}/houses/", { params: { path: { site_id: layout.id } }, body: form })).then(() => undefined),
    "layout", "watch",
  );
  const error = save.error instanceof ApiError ? save.error : null;
  return (
    <Drawer open size={420} title={house ? house.form.name : "A new house"} onClose={onClose}
      footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>{house ? "Save the house" : "Add the house"}</Button>}>
      {error?.status === 409 && <p role="alert" className="error">{error.message}</p>}
      <Form layout="vertical" component="div">
        <Form.Item label="Name" htmlFor="house-name" {...item(error, "name")}><Input id="house-name" value={form.name} onChange={(e) => setForm({ ...form, name: e.target.value })} /></Form.Item>
        <Form.Item label="Light through the roof" htmlFor="house-light" extra="68 % is usual for clean glass" {...item(error, "transmission")}>
          <InputNumber id="house-light" style={{ width: "100%" }} value={Math.round(form.transmission * 100)} suffix="%" onChange={(v) => setForm({ ...form, transmission: Number(v ?? 0) / 100 })} />
        </Form.Item>
        <ChoiceField label="Cover" value={form.cover ?? "glass"} options={COVERS} onChange={(v) => setForm({ ...form, cover: v })} />
        {ticked("screens", "Screens")}
        <Form.Item label="Roof whitewashed on" htmlFor="house-wash" extra="empty while the roof is clean; ladders and roofs are work at height" {...item(error, "whitewashed_on")}>
          <Input id="house-wash" type="date" value={form.whitewashed_on ?? ""} onChange={(e) => setForm({ ...form, whitewashed_on: e.target.value || null })} />
        </Form.Item>
        {ticked("gear", "Climate gear")}
        {(form.gear ?? []).filter((g) => GEAR_CAUTIONS[g]).map((g) => <p key={g} className="caution">{GEAR_CAUTIONS[g]}</p>)}
        <Form.Item label="Drain is returned" htmlFor="house-drain"><Switch id="house-drain" aria-label="Drain is returned" checked={form.drain_returned} onChange={(v) => setForm({ ...form, drain_returned: v })} /></Form.Item>
      </Form>
      <p className="quiet">Returning drain, or letting it run to waste, may need a permit: follow your local water rules.</p>
    </Drawer>
  );
}
