import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type FrameOut, type NodeOut } from "../../api/client";
import { useCatalogue, useChange, useLayout } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";

const TYPES = ["uint16", "int16", "uint32", "int32", "float32"] as const;
const ORDERS = ["abcd", "cdab", "badc", "dcba"] as const;
const FUNCTIONS = [{ value: 3, label: "3, holding registers" }, { value: 4, label: "4, input registers" }, { value: 1, label: "1, coils" }, { value: 2, label: "2, inputs (on or off)" }];

/** Compose a read, send it to the bus, see the bytes both ways, and turn a register into a channel. */
export default function BusPart({ watch, bed, mayChange, owner, nodes }: StageProps & { nodes: NodeOut[] }) {
  const buses = nodes.filter((n) => n.kind === "modbus_tcp" || n.kind === "modbus_rtu");
  const [nodeId, setNode] = useState(buses.find((n) => n.channels.some((c) => c.bed === bed?.id))?.id ?? buses[0]?.id ?? 0);
  const node = buses.find((n) => n.id === nodeId);
  const [form, setForm] = useState({ function: 3, register: 0, count: 4, device_id: node?.device_id ?? 1 });
  const [asked, setAsked] = useState<number | null>(null);
  const path = { params: { path: { node_id: nodeId } } };
  const composed = useQuery({ queryKey: ["compose", nodeId, form], enabled: node !== undefined, queryFn: () => take(api.POST("/api/nodes/{node_id}/bus/compose/", { ...path, body: form })), retry: false });
  const send = useMutation({ mutationFn: () => take(api.POST("/api/nodes/{node_id}/bus/read/", { ...path, body: form })), onSuccess: (row) => setAsked(row.id) });
  const answer = useQuery({
    queryKey: ["bus", asked], enabled: asked !== null, queryFn: () => take(api.GET("/api/bus/{request_id}/", { params: { path: { request_id: asked ?? 0 } } })),
    refetchInterval: (q) => (q.state.data?.state === "queued" ? 600 : false),
  });
  const number = (name: "register" | "count" | "device_id", label: string) => (
    <label>{label} <input className="inline-number" inputMode="numeric" value={form[name]} aria-label={label} onChange={(e) => setForm({ ...form, [name]: Number(e.target.value) || 0 })} /></label>
  );
  const a = answer.data;
  return (
    <>
      <h1>Bus bench</h1>
      {!node ? <p className="lead">No node on a Modbus bus yet. Below, any bytes can be taken apart.</p> : (
        <>
          <p className="sentence try bus-form">
            On <select aria-label="Node" value={nodeId} onChange={(e) => setNode(Number(e.target.value))}>{buses.map((n) => <option key={n.id} value={n.id}>{n.name}</option>)}</select>{" "}
            {number("device_id", "ask device")} with function <select aria-label="Function" value={form.function} onChange={(e) => setForm({ ...form, function: Number(e.target.value) })}>{FUNCTIONS.map((f) => <option key={f.value} value={f.value}>{f.label}</option>)}</select>{" "}
            {number("register", "from register")} {number("count", "for")} registers.
          </p>
          {composed.isError && <p role="alert" className="error">{problemOf(composed.error)}</p>}
          {composed.data && <FrameTable title="Goes out" frame={composed.data} />}
          {mayChange && <button type="button" className="button primary" disabled={send.isPending || composed.isError} onClick={() => send.mutate()}>Send it</button>}
          {send.isError && <p role="alert" className="error">{problemOf(send.error)}</p>}
          {a && a.state === "queued" && <p role="status">On its way through the gateway…</p>}
          {a && (a.problem || a.answer?.problem) && <p role="alert" className="error">{a.problem || a.answer?.problem}</p>}
          {a?.answer && <FrameTable title={`Came back after ${fixed(a.elapsed_ms, 0)} ms`} frame={a.answer} />}
          {a?.answer && a.answer.words.length > 0 && <Decode key={a.id} watch={watch} node={node} words={a.answer.words} first={form.register} fn={form.function} bed={bed?.id ?? null} mayChange={mayChange} />}
          {owner && <AddressChange node={node} />}
        </>
      )}
      <Explain />
    </>
  );
}

function FrameTable({ title, frame }: { title: string; frame: FrameOut }) {
  return (
    <table className="plain-table frame-table">
      <caption>{title}: <span className="mono">{frame.hex}</span></caption>
      <thead><tr><th scope="col">Bytes</th><th scope="col">Field</th><th scope="col">Meaning</th></tr></thead>
      <tbody>{frame.fields.map((f) => <tr key={f.at} className={f.right ? "" : "check-fail"}><td className="mono">{f.hex}</td><th scope="row">{f.name}</th><td>{f.right ? "" : "✕ "}{f.meaning}</td></tr>)}</tbody>
    </table>
  );
}

function Decode({ watch, node, words, first, fn, bed, mayChange }: { watch: StageProps["watch"]; node: NodeOut; words: number[]; first: number; fn: number; bed: number | null; mayChange: boolean }) {
  const catalogue = useCatalogue();
  const layout = useLayout(watch.site);
  const [at, setAt] = useState(0);
  const [type, setType] = useState<(typeof TYPES)[number]>("uint16");
  const [order, setOrder] = useState<(typeof ORDERS)[number]>("abcd");
  const [scale, setScale] = useState("1");
  const [offset, setOffset] = useState("0");
  const [quantity, setQuantity] = useState("co2");
  const beds = layout.data?.houses.flatMap((h) => h.beds) ?? [];
  const [owner, setOwner] = useState(bed ? `bed:${bed}` : layout.data?.houses[0] ? `house:${layout.data.houses[0].id}` : "");
  const numbers = { scale: Number(scale.replace(",", ".")), offset: Number(offset.replace(",", ".")) };
  const value = useQuery({
    queryKey: ["decode", words.join(), at, type, order, numbers],
    queryFn: () => take(api.POST("/api/bus/decode/", { body: { words: words.slice(at), register_type: type, word_order: order, ...numbers } })),
    retry: false,
  });
  const add = useChange(
    () => take(api.POST("/api/nodes/{node_id}/channels/", {
      params: { path: { node_id: node.id } },
      body: { quantity, register: first + at, register_type: type, function: fn, word_order: order, ...numbers, [owner.split(":")[0] ?? "house"]: Number(owner.split(":")[1]) },
    })),
    "nodes",
  );
  return (
    <section className="point open decode" aria-label="Decode and keep">
      <p>
        Register <select aria-label="Register to decode" value={at} onChange={(e) => setAt(Number(e.target.value))}>{words.map((_, i) => <option key={i} value={i}>{first + i}</option>)}</select> as{" "}
        <select aria-label="Type" value={type} onChange={(e) => setType(e.target.value as typeof type)}>{TYPES.map((t) => <option key={t}>{t}</option>)}</select>, order{" "}
        <select aria-label="Word order" value={order} onChange={(e) => setOrder(e.target.value as typeof order)}>{ORDERS.map((o) => <option key={o}>{o}</option>)}</select>, times{" "}
        <input className="inline-number" value={scale} aria-label="Scale" onChange={(e) => setScale(e.target.value)} /> plus <input className="inline-number" value={offset} aria-label="Offset" onChange={(e) => setOffset(e.target.value)} /> ={" "}
        <b className="fig-big">{value.data?.value == null ? "–" : String(Number(value.data.value.toPrecision(8)))}</b>
      </p>
      {value.isError && <p role="alert" className="error">{problemOf(value.error)}</p>}
      {mayChange && (
        <p>
          It is <select aria-label="Quantity" value={quantity} onChange={(e) => setQuantity(e.target.value)}>{catalogue.data?.quantities.map((q) => <option key={q.code} value={q.code}>{q.words}</option>)}</select> of{" "}
          <select aria-label="Belongs to" value={owner} onChange={(e) => setOwner(e.target.value)}>
            {beds.map((b) => <option key={b.id} value={`bed:${b.id}`}>bed {b.form.name}</option>)}{layout.data?.houses.map((h) => <option key={h.id} value={`house:${h.id}`}>{h.form.name}</option>)}
          </select>{" "}
          <button type="button" className="button" disabled={add.isPending || owner === ""} onClick={() => add.mutate(undefined)}>Make it a channel</button>
        </p>
      )}
      {add.isSuccess && <p role="status">It is a channel of {node.name} now, read every {fixed(node.poll_s, 0)} s.</p>}
      {add.isError && <p role="alert" className="error">{problemOf(add.error)}</p>}
    </section>
  );
}

/** Give a device another bus address, by the register its data sheet names. */
function AddressChange({ node }: { node: NodeOut }) {
  const [register, setRegister] = useState("");
  const [address, setAddress] = useState("");
  const [asked, setAsked] = useState<number | null>(null);
  const send = useMutation({
    mutationFn: () => take(api.POST("/api/nodes/{node_id}/bus/address/", { params: { path: { node_id: node.id } }, body: { register: Number(register), new_address: Number(address) } })),
    onSuccess: (row) => setAsked(row.id),
  });
  const row = useQuery({ queryKey: ["bus", asked], enabled: asked !== null, queryFn: () => take(api.GET("/api/bus/{request_id}/", { params: { path: { request_id: asked ?? 0 } } })), refetchInterval: (q) => (q.state.data?.state === "queued" ? 600 : false) });
  return (
    <details>
      <summary>Change a device’s bus address</summary>
      <p>Have only this one device on the bus: every device that listens takes the new address. Its data sheet names the register.</p>
      <p>
        Register <input className="inline-number" inputMode="numeric" value={register} aria-label="Register of the address" onChange={(e) => setRegister(e.target.value)} />, new address{" "}
        <input className="inline-number" inputMode="numeric" value={address} aria-label="New address" onChange={(e) => setAddress(e.target.value)} />{" "}
        <button type="button" className="button" disabled={register === "" || address === "" || send.isPending} onClick={() => send.mutate()}>Write address {address} to device {node.device_id}</button>
      </p>
      {send.isError && <p role="alert" className="error">{problemOf(send.error)}</p>}
      {row.data && row.data.state !== "queued" && <p role="status">{row.data.problem || row.data.answer?.problem || `The device has taken it. Change the bus address of ${node.name} too.`}</p>}
    </details>
  );
}

function Explain() {
  const [bytes, setBytes] = useState("");
  const [framing, setFraming] = useState<"rtu" | "tcp">("rtu");
  const [isAnswer, setIsAnswer] = useState(true);
  const frame = useQuery({ queryKey: ["explain", bytes, framing, isAnswer], enabled: bytes.trim().length > 1, queryFn: () => take(api.POST("/api/bus/explain/", { body: { bytes, framing, answer: isAnswer } })), retry: false });
  return (
    <section aria-label="Take bytes apart">
      <h2>Take any bytes apart</h2>
      <p className="bus-form">
        <input className="plain-input mono wide-input" aria-label="Bytes as hexadecimal digits" placeholder="01 03 06 …" value={bytes} onChange={(e) => setBytes(e.target.value)} />{" "}
        <select aria-label="Framing" value={framing} onChange={(e) => setFraming(e.target.value as typeof framing)}><option value="rtu">RTU</option><option value="tcp">TCP</option></select>{" "}
        <select aria-label="Direction" value={isAnswer ? "answer" : "request"} onChange={(e) => setIsAnswer(e.target.value === "answer")}><option value="answer">an answer</option><option value="request">a request</option></select>
      </p>
      {frame.isError && <p role="alert" className="error">{problemOf(frame.error)}</p>}
      {frame.data && <>{frame.data.problem && <p className="error">{frame.data.problem}</p>}<FrameTable title="Bytes" frame={frame.data} /></>}
    </section>
  );
}
