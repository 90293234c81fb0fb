import { Button, Drawer, Form, Select, Switch } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, problemOf, take, type BedNow, type Watch } from "../../api/client";
import { useCatalogue, useChange, useLayout, useNodes, usePlumbing } from "../../api/queries";
import { at, ChoiceField, NumberField, TextField } from "../../frame/Field";

const KINDS = [
  { value: "modbus_tcp", label: "Modbus TCP" }, { value: "modbus_rtu", label: "Modbus RTU over TCP" }, { value: "sdi12", label: "SDI-12 over TCP" }, { value: "http", label: "posts by itself (HTTP)" },
];
const INPUTS = [{ value: "number", label: "number" }, { value: "loop", label: "4-20 mA" }, { value: "mv", label: "millivolts" }, { value: "counts", label: "converter counts" }, { value: "pulse", label: "pulses" }, { value: "switch", label: "switch" }] as const;
type Input = (typeof INPUTS)[number]["value"];
interface Sensor { kind: string; owner: string; input: Input }

/** A node with its sensors, valves and pumps; registers follow from the kinds, in the order they are named. */
export default function AddNode({ watch, bed, onClose }: { watch: Watch; bed: BedNow | null; onClose: () => void }) {
  const catalogue = useCatalogue();
  const layout = useLayout(watch.site);
  const plumbing = usePlumbing(watch.site);
  const nodes = useNodes(watch.site);
  const navigate = useNavigate();
  const beds = layout.data?.houses.flatMap((h) => h.beds) ?? [];
  const firstBed = bed?.id ?? beds[0]?.id;
  const taken = new Set(nodes.data?.flatMap((n) => n.actuators.map((a) => (a.bed !== null ? `bed:${a.bed}` : `pump:${a.pump}`))));
  const [form, setForm] = useState({ name: `Node ${(nodes.data?.filter((n) => n.kind !== "gateway").length ?? 0) + 1}`, kind: "modbus_tcp", standin: true, host: "", port: 502 as number | null, device_id: 1, poll_s: 5 });
  const [sensors, setSensors] = useState<Sensor[]>([{ kind: "capacitive", owner: firstBed ? `bed:${firstBed}` : "", input: "number" }]);
  const [moves, setMoves] = useState<string[]>([]);
  const [others, setOthers] = useState<{ kind: string; name: string }[]>([]);
  const owners = [
    ...beds.map((b) => ({ value: `bed:${b.id}`, label: `bed ${b.form.name}` })),
    ...(layout.data?.houses.map((h) => ({ value: `house:${h.id}`, label: h.form.name })) ?? []),
    ...(plumbing.data?.tanks.map((t) => ({ value: `tank:${t.id}`, label: t.form.name })) ?? []),
    ...(plumbing.data?.pumps.map((p) => ({ value: `pump:${p.id}`, label: p.form.name })) ?? []),
  ];
  const devices = [
    ...beds.map((b) => ({ value: `bed:${b.id}`, label: `valve of bed ${b.form.name}` })),
    ...(plumbing.data?.pumps.map((p) => ({ value: `pump:${p.id}`, label: p.form.name })) ?? []),
  ].filter((d) => !taken.has(d.value));
  const number = (text: string) => Number(text.split(":")[1]);
  const add = useChange(
    () => take(api.POST("/api/sites/{site_id}/nodes/new/", {
      params: { path: { site_id: watch.site } },
      body: {
        ...form,
        sensors: sensors.map((s) => ({ kind: s.kind, input: s.input, [ownerOf(s).split(":")[0] || "bed"]: ownerOf(s) ? number(ownerOf(s)) : null })),
        valves: moves.filter((m) => m.startsWith("bed:")).map(number),
        others,
        pumps: moves.filter((m) => m.startsWith("pump:")).map(number),
      },
    })),
    "nodes", "watch", "layout", "electrics", "probes",
  );
  const ownerOf = (s: Sensor) => s.owner || (firstBed ? `bed:${firstBed}` : (owners[0]?.value ?? ""));
  const set = (i: number, values: Partial<Sensor>) => setSensors(sensors.map((s, k) => (k === i ? { ...s, ...values } : s)));
  const done = (made: { channels: number[] }) => {
    onClose();
    navigate(`/fit${bed ? `/${bed.id}` : ""}?part=prove&channel=${made.channels[0] ?? ""}`);
  };
  return (
    <Drawer open size={560} title="A node" onClose={onClose}
      footer={<Button type="primary" loading={add.isPending} onClick={() => add.mutate(undefined, { onSuccess: done })}>{form.standin ? "Add the stand-in node" : "Add the node"}</Button>}>
      {add.isError && <p role="alert" className="error">{problemOf(add.error)}</p>}
      <Form layout="vertical" component="div">
        <Form.Item label="Stand-in, to try without a device" htmlFor="standin"><Switch id="standin" aria-label="Stand-in, to try without a device" checked={form.standin} onChange={(standin) => setForm({ ...form, standin })} /></Form.Item>
        <div className="form-grid">
          <TextField label="Name" value={form.name} error={at(add.error, "name")} onChange={(name) => setForm({ ...form, name })} />
          <ChoiceField label="Link" value={form.kind} options={KINDS} error={at(add.error, "kind")} onChange={(kind) => setForm({ ...form, kind })} />
          {!form.standin && form.kind !== "http" && <TextField label="Address on your network" value={form.host} error={at(add.error, "host")} onChange={(host) => setForm({ ...form, host })} />}
          {!form.standin && form.kind !== "http" && <NumberField label="Port" value={form.port} digits={0} error={at(add.error, "port")} onChange={(port) => setForm({ ...form, port })} />}
          <NumberField label="Bus address" value={form.device_id} digits={0} error={at(add.error, "device_id")} onChange={(v) => setForm({ ...form, device_id: v ?? 1 })} />
          <NumberField label="Asked every" value={form.poll_s} unit="s" digits={1} error={at(add.error, "poll_s")} onChange={(v) => setForm({ ...form, poll_s: v ?? 5 })} />
        </div>
        <h3>Its sensors</h3>
        {sensors.map((s, i) => (
          <div key={i} className="sensor-row">
            <Select aria-label={`Kind of sensor ${i + 1}`} value={s.kind} showSearch={{ optionFilterProp: "label" }} options={catalogue.data?.kinds.map((k) => ({ value: k.code, label: k.name })) ?? []} onChange={(kind) => set(i, { kind })} />
            <Select aria-label={`Sensor ${i + 1} belongs to`} value={ownerOf(s) || null} placeholder="belongs to" options={owners} onChange={(owner) => set(i, { owner })} />
            <Select aria-label={`Sensor ${i + 1} comes in as`} value={s.input} options={[...INPUTS]} onChange={(input) => set(i, { input })} />
            <button type="button" className="quiet-button" aria-label={`Leave sensor ${i + 1} out`} onClick={() => setSensors(sensors.filter((_, k) => k !== i))}>✕</button>
          </div>
        ))}
        <button type="button" className="button" onClick={() => setSensors([...sensors, { kind: sensors.at(-1)?.kind ?? "capacitive", owner: sensors.at(-1)?.owner ?? "", input: "number" }])}>One more sensor</button>
        {devices.length > 0 && form.kind.startsWith("modbus") && (
          <Form.Item label="Valves and pumps it moves" htmlFor="moves" style={{ marginTop: 16 }}>
            <Select id="moves" aria-label="Valves and pumps it moves" mode="multiple" value={moves} options={devices} onChange={setMoves} />
          </Form.Item>
        )}
        {form.kind.startsWith("modbus") && (
          <>
            {others.map((o, i) => (
              <div key={i} className="sensor-row">
                <Select aria-label={`Kind of device ${i + 1}`} value={o.kind} options={[{ value: "contact", label: "contact" }, { value: "doser", label: "doser" }]} onChange={(kind) => setOthers(others.map((x, k) => (k === i ? { ...x, kind } : x)))} />
                <input className="plain-input" aria-label={`Name of device ${i + 1}`} placeholder="its name" value={o.name} maxLength={40} onChange={(e) => setOthers(others.map((x, k) => (k === i ? { ...x, name: e.target.value } : x)))} />
                <button type="button" className="quiet-button" onClick={() => setOthers(others.filter((_, k) => k !== i))}>leave it out</button>
              </div>
            ))}
            <button type="button" className="quiet-button" onClick={() => setOthers([...others, { kind: "contact", name: "" }])}>a contact or a doser too</button>
          </>
        )}
      </Form>
    </Drawer>
  );
}
