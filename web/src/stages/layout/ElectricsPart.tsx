import { Button, Drawer, Form, Switch } from "antd";
import { useState } from "react";
import { api, problemOf, take, type Device } from "../../api/client";
import { useChange, useElectrics } from "../../api/queries";
import { Fig } from "../../frame/Fig";
import { at, ChoiceField, NumberField } from "../../frame/Field";
import type { StageProps } from "../../frame/Frame";

const MARK: Record<string, { sign: string; word: string }> = { ok: { sign: "✓", word: "in order" }, warn: { sign: "!", word: "mind" }, refuse: { sign: "✕", word: "not so" } };
const LOADS = [
  { value: "solenoid", label: "solenoid valve" }, { value: "motor", label: "motor or pump" }, { value: "resistive", label: "heater or other plain load" },
  { value: "electronic", label: "electronics" }, { value: "lamp", label: "lamp" },
] as const;

/** Load, contact, cable and battery of every device, judged with the figures. */
export default function ElectricsPart({ watch, mayChange }: StageProps) {
  const devices = useElectrics(watch.site);
  const [editing, setEditing] = useState<Device | null>(null);
  if (!devices.data) return devices.isError ? <p role="alert" className="error">{problemOf(devices.error)}</p> : <p className="quiet">Reading the sheets…</p>;
  const wrong = devices.data.filter((d) => d.findings.some((f) => f.level === "refuse"));
  const open = devices.data.filter((d) => !d.kept);
  return (
    <>
      <h1>Electrics</h1>
      <p className="lead">
        {wrong.length > 0 ? `${wrong.map((d) => d.name).join(", ")}: not so, see below. ` : devices.data.length > 0 ? "Nothing here is beyond its rating. " : "No device yet: nodes, valves and pumps come with Fit. "}
        {open.length > 0 && `${open.length} of ${devices.data.length} devices still stand on a usual plate; read theirs.`}
      </p>
      <p className="quiet">Mains beside water: residual-current protection, isolation before opening a box, a licensed electrician; local code decides. Software is no safety device.</p>
      {alike(devices.data).map(([d, ...others]) => d && (
        <section key={`${d.device}${d.id}`} className="device" aria-label={d.name}>
          <div className="section-head">
            <h2>{d.name}{others.length > 0 && `, and ${others.length} alike`}</h2>
            <span className="quiet">{d.form.power_w} W at {d.form.supply_v} V, contact {d.form.contact_a} A, {d.form.cable_m} m of {d.form.cable_mm2} mm²{d.kept ? "" : "; a usual plate, not read yet"}</span>
            {mayChange && <button type="button" className="quiet-button" aria-label={`${d.kept ? "change" : "enter its plate"}: ${d.name}`} onClick={() => setEditing(d)}>{d.kept ? "change" : "enter its plate"}</button>}
          </div>
          <ul className="findings">
            {d.findings.map((f) => (
              <li key={f.field} className={`finding-${f.level}`}>
                <b><span aria-hidden="true">{MARK[f.level]?.sign}</span> {MARK[f.level]?.word}</b> {f.text}{" "}
                {f.field === "contact_a" && d.figures?.contact && <Fig figure={d.figures.contact} label="contact rating needed" />}
                {f.field === "cable_mm2" && d.figures?.drop && <Fig figure={d.figures.drop} label="voltage lost" />}
                {f.field === "battery_ah" && d.figures?.battery && <Fig figure={d.figures.battery} label="days on the battery" />}
              </li>
            ))}
          </ul>
          {others.length > 0 && (
            <details>
              <summary>The {others.length} alike, each with its own plate</summary>
              <ul className="names">
                {others.map((o) => <li key={`${o.device}${o.id}`}>{mayChange ? <button type="button" className="quiet-button" aria-label={`${o.kept ? "change" : "enter its plate"}: ${o.name}`} onClick={() => setEditing(o)}>{o.name}</button> : o.name}</li>)}
              </ul>
            </details>
          )}
        </section>
      ))}
      {editing && <SheetEditor device={editing} onClose={() => setEditing(null)} />}
    </>
  );
}

/** Devices whose sheet and findings are the same stand together; a device that differs stands alone. */
function alike(devices: Device[]): Device[][] {
  const groups = new Map<string, Device[]>();
  for (const d of devices) {
    const key = devices.length <= 12 ? `${d.device}${d.id}` : JSON.stringify([d.device, d.kept, { ...d.form, version: 0 }, d.findings]);
    groups.set(key, [...(groups.get(key) ?? []), d]);
  }
  return [...groups.values()];
}

function SheetEditor({ device, onClose }: { device: Device; onClose: () => void }) {
  const [form, setForm] = useState(device.form);
  const save = useChange(
    () => take(api.PUT("/api/electrics/{device}/{device_id}/", { params: { path: { device: device.device, device_id: device.id } }, body: form })),
    "electrics",
  );
  const number = (name: "power_w" | "supply_v" | "contact_a" | "cable_m" | "cable_mm2" | "hours_a_day" | "standby_w" | "battery_ah" | "panel_w" | "sun_hours", label: string, unit: string, extra?: string) => (
    <NumberField label={label} unit={unit} value={form[name] ?? 0} extra={extra} error={at(save.error, name)} onChange={(v) => setForm({ ...form, [name]: v ?? 0 })} />
  );
  return (
    <Drawer open size={480} title={device.name} onClose={onClose} footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Keep the sheet</Button>}>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <Form layout="vertical" component="div">
        <div className="form-grid">
          <ChoiceField label="Kind of load" value={form.load} options={[...LOADS]} onChange={(load) => setForm({ ...form, load })} />
          {number("power_w", "Power", "W")}
          {number("supply_v", "Supply", "V")}
          {number("contact_a", "Contact rating", "A", "printed on the relay")}
          {number("cable_m", "Cable, one way", "m")}
          {number("cable_mm2", "Conductor", "mm²")}
          {number("hours_a_day", "Runs", "h a day")}
          {number("standby_w", "Draws at rest", "W")}
          {number("battery_ah", "Battery", "Ah", "0 without")}
          {number("panel_w", "Solar panel", "W", "0 without")}
          {number("sun_hours", "Full-sun hours, dullest month", "h a day")}
        </div>
        <Form.Item label="Normally-open contact" htmlFor="normally-open"><Switch id="normally-open" aria-label="Normally-open contact" checked={form.normally_open ?? true} onChange={(normally_open) => setForm({ ...form, normally_open })} /></Form.Item>
      </Form>
    </Drawer>
  );
}
