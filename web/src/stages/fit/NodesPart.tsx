import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link } from "react-router";
import { api, problemOf, take, type ChannelOut, type NodeOut } from "../../api/client";
import { useChange } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { age, fixed } from "../../units/format";

import { BringIn } from "./BringIn";

const AddNode = lazy(() => import("./AddNode"));
const WORD: Record<string, string> = { pass: "passed", fail: "failed", retry: "try again" };

interface Props extends StageProps {
  nodes: NodeOut[];
}

/** Nodes and channels with their live raw values, their health and their tests. */
export function NodesPart({ watch, bed, mayChange, owner, nodes }: Props) {
  const [adding, setAdding] = useState(false);
  const [open, setOpen] = useState<number | null>(null);
  const speaking = nodes.filter((n) => n.kind !== "gateway");
  const silent = speaking.filter((n) => n.silent);
  const of = (n: NodeOut) => n.channels.some((c) => c.bed === bed?.id) || n.actuators.some((a) => a.bed === bed?.id);
  const shown = bed ? speaking.filter((n) => of(n) || n.silent) : nodes;
  const folded = speaking.length > 8 && !bed;
  return (
    <>
      <h1>{bed ? `Nodes of bed ${bed.name}` : "Nodes and channels"}</h1>
      <p className="lead">
        {speaking.length === 0
          ? "No node yet. Add your own, or a stand-in to try with: it has the sensors you choose, and faults can be set on it."
          : silent.length === 0
            ? `${speaking.length === 1 ? "The node answers" : `All ${speaking.length} nodes answer`}, within three of their own intervals.`
            : `${silent.map((n) => n.name).join(", ")} ${silent.length === 1 ? "is" : "are"} silent: check power and cable; isolate mains before opening a box.`}
      </p>
      {mayChange && <div className="actions"><button type="button" className={`button ${speaking.length === 0 ? "primary" : ""}`} onClick={() => setAdding(true)}>Add a node</button></div>}
      {shown.map((n) => <Node key={n.id} node={n} now={watch.now} bed={bed?.id ?? null} mayChange={mayChange} owner={owner} open={!folded || open === n.id || n.silent} onOpen={() => setOpen(open === n.id ? null : n.id)} foldable={folded} />)}
      {mayChange && <BringIn site={watch.site} />}
      <Suspense fallback={null}>{adding && <AddNode watch={watch} bed={bed} onClose={() => setAdding(false)} />}</Suspense>
    </>
  );
}

interface NodeProps {
  node: NodeOut;
  now: string;
  bed: number | null;
  mayChange: boolean;
  owner: boolean;
  open: boolean;
  foldable: boolean;
  onOpen: () => void;
}

function Node({ node, now, bed, mayChange, owner, open, foldable, onOpen }: NodeProps) {
  const channels = bed === null ? node.channels : node.channels.filter((c) => c.bed === bed);
  const actuators = bed === null ? node.actuators : node.actuators.filter((a) => a.bed === bed);
  const proven = node.channels.filter((c) => c.proof?.outcome === "pass").length;
  return (
    <section className={`node ${node.silent ? "node-silent" : ""}`} aria-label={`Node ${node.name}`}>
      <div className="section-head">
        <h2>{foldable ? <button type="button" className="quiet-button" aria-expanded={open} onClick={onOpen}>{open ? "▾" : "▸"} {node.name}</button> : node.name}</h2>
        <span className={node.silent ? "error" : "quiet"}>
          {node.silent ? "silent, last heard " : "heard "}{age(node.last_seen, now)}, every {fixed(node.interval_s, 0)} s; {node.kind_label}, {node.address}
          {node.channels.length > 0 && `; ${proven} of ${node.channels.length} channels proven`}
        </span>
      </div>
      {node.problem && <p role="alert" className="error">{node.problem}</p>}
      {open && (
        <>
          {node.kind !== "gateway" && <Health node={node} now={now} />}
          {channels.length > 0 && (
            <table className="plain-table channels">
              <caption className="visually-hidden">Channels of {node.name}</caption>
              <thead><tr><th scope="col">Where</th><th scope="col">What</th><th scope="col">Live</th><th scope="col">Age</th><th scope="col">Register</th><th scope="col">Test</th></tr></thead>
              <tbody>{channels.map((c) => <ChannelRow key={c.id} channel={c} now={now} mayChange={mayChange} />)}</tbody>
            </table>
          )}
          {actuators.length > 0 && (
            <ul className="devices">
              {actuators.map((a) => (
                <li key={a.id}>
                  <b>{a.name}</b> {a.starts} starts, {fixed(a.hours, 1)} h; {a.proof ? `test ${WORD[a.proof.outcome] ?? a.proof.outcome}, ${age(a.proof.at, now)}` : "not tested yet"}{" "}
                  {mayChange && <Link to={`?part=prove&device=${a.id}`}>test {a.name}</Link>}
                </li>
              ))}
            </ul>
          )}
          {node.kind !== "gateway" && <NodeActs node={node} mayChange={mayChange} owner={owner} />}
          {node.kind === "gateway" && owner && <Token node={node} />}
        </>
      )}
    </section>
  );
}

function ChannelRow({ channel: c, now, mayChange }: { channel: ChannelOut; now: string; mayChange: boolean }) {
  return (
    <tr>
      <th scope="row">{c.where}</th>
      <td>{c.name}{c.input !== "number" && <span className="quiet">, {c.input === "loop" ? "4-20 mA" : c.input}</span>}</td>
      <td><span className="mono">{fixed(c.raw, c.digits)}</span> <span className="unit">{c.unit}</span>{c.fault && <b className="tone-clay"> {c.fault}</b>}</td>
      <td className="quiet">{age(c.at, now)}</td>
      <td className="mono quiet">{c.register ?? c.key} {c.register_type}</td>
      <td>{c.proof ? <span className={`proof-${c.proof.outcome}`}>{WORD[c.proof.outcome] ?? c.proof.outcome}</span> : <span className="quiet">none</span>}{" "}
        {mayChange && <Link to={`?part=prove&channel=${c.id}`} aria-label={`Prove ${c.name} of ${c.where}`}>prove</Link>}</td>
    </tr>
  );
}

/** What the node says of itself; nothing where it says nothing. */
function Health({ node: n, now }: { node: NodeOut; now: string }) {
  const trend = useQuery({ queryKey: ["nodes", "health", n.id], enabled: n.supply_v !== null, queryFn: () => take(api.GET("/api/nodes/{node_id}/health/", { params: { path: { node_id: n.id } } })), staleTime: 60_000 });
  const said = [
    n.supply_v !== null && `supply ${fixed(n.supply_v, 2)} V`,
    n.battery_v !== null && `battery ${fixed(n.battery_v, 2)} V`,
    n.uptime_s !== null && `up ${n.uptime_s < 7200 ? `${fixed(n.uptime_s / 60, 0)} min` : `${fixed(n.uptime_s / 3600, 1)} h`}, ${n.restarts} restarts`,
    n.clock_offset_s !== null && (Math.abs(n.clock_offset_s) > 60 ? `its clock is ${fixed(n.clock_offset_s / 60, 0)} min off` : "its clock is right"),
    n.firmware && `firmware ${n.firmware}`,
    n.config_confirmed > 0 && (n.config_confirmed === n.config_number ? `runs by configuration ${n.config_number}` : `configuration ${n.config_number} waits to be taken, it runs by ${n.config_confirmed}`),
  ].filter(Boolean);
  if (said.length === 0) return null;
  const points = trend.data ?? [];
  return (
    <p className={`health ${n.clock_offset_s !== null && Math.abs(n.clock_offset_s) > 60 ? "tone-clay" : "quiet"}`}>
      {said.join("; ")}, {age(n.last_seen, now)}. {points.length > 2 && <Trend values={points.map((p) => p.supply_v)} label={`Supply of ${n.name} over ${points.length} checks`} />}{" "}
      {points.length > 2 && n.battery_v !== null && <Trend values={points.map((p) => p.battery_v)} label={`Battery of ${n.name} over ${points.length} checks`} />}
    </p>
  );
}

function Trend({ values, label }: { values: (number | null)[]; label: string }) {
  const known = values.filter((v): v is number => v !== null);
  const low = Math.min(...known);
  const span = Math.max(0.2, Math.max(...known) - low);
  const d = known.map((v, i) => `${i === 0 ? "M" : "L"}${2 + (i * 96) / Math.max(1, known.length - 1)} ${20 - ((v - low) / span) * 16}`).join(" ");
  return <svg viewBox="0 0 100 22" width="100" height="22" role="img" aria-label={`${label}, from ${fixed(known[0], 2)} to ${fixed(known.at(-1), 2)} V`}><path d={d} fill="none" stroke="#17251F" strokeWidth="1.5" /></svg>;
}

function NodeActs({ node, mayChange, owner }: { node: NodeOut; mayChange: boolean; owner: boolean }) {
  const [sure, setSure] = useState(false);
  const retire = useChange(() => take(api.POST("/api/nodes/{node_id}/retire/", { params: { path: { node_id: node.id } } })), "nodes", "watch", "layout");
  return (
    <div className="actions node-acts">
      <Link to={`?part=sheet&node=${node.id}`}>wiring sheet</Link>
      {node.is_standin && mayChange && <Faults node={node} />}
      {owner && <Token node={node} />}
      {owner && !sure && <button type="button" className="quiet-button" onClick={() => setSure(true)}>take it out</button>}
      {sure && <span role="alert">{node.name} is asked no more; its record stays. <button type="button" className="quiet-button" onClick={() => retire.mutate(undefined, { onSettled: () => setSure(false) })}>take it out</button> <button type="button" className="quiet-button" onClick={() => setSure(false)}>leave it</button></span>}
      {retire.isError && <span role="alert" className="error">{problemOf(retire.error)}</span>}
    </div>
  );
}

function Faults({ node }: { node: NodeOut }) {
  const names = useQuery({ queryKey: ["fault-names"], queryFn: () => take(api.GET("/api/standin-faults/")), staleTime: Infinity });
  const set = useChange((faults: string[]) => take(api.PUT("/api/nodes/{node_id}/faults/", { params: { path: { node_id: node.id } }, body: { faults } })), "nodes");
  const toggle = (name: string) => set.mutate(node.faults.includes(name) ? node.faults.filter((f) => f !== name) : [...node.faults, name]);
  return (
    <details className="faults">
      <summary>{node.faults.length > 0 ? `faults set: ${node.faults.join(", ")}` : "set faults on this stand-in"}</summary>
      {names.data?.map((f) => <button key={f.name} type="button" className="chip" aria-pressed={node.faults.includes(f.name)} disabled={set.isPending} onClick={() => toggle(f.name)}>{f.name}</button>)}
    </details>
  );
}

function Token({ node }: { node: NodeOut }) {
  const [token, setToken] = useState("");
  const [sure, setSure] = useState(false);
  const make = async () => {
    const made = await take(api.POST("/api/nodes/{node_id}/token/", { params: { path: { node_id: node.id } } }));
    setToken(made.token);
    setSure(false);
  };
  if (token) return <p role="status">Token of {node.name}, shown this once: <code className="mono">{token}</code></p>;
  if (sure) {
    return (
      <p>
        {node.has_token ? `The old token of ${node.name} stops working at once. ` : ""}
        <button type="button" className="button" onClick={() => void make()}>Make the token</button>{" "}
        <button type="button" className="quiet-button" onClick={() => setSure(false)}>leave it</button>
      </p>
    );
  }
  return <button type="button" className="quiet-button" onClick={() => setSure(true)}>{node.has_token ? "make a new token" : "make a token for posting"}</button>;
}
