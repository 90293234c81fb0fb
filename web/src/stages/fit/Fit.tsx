import { useState } from "react";
import { api, problemOf, take, type NodeOut } from "../../api/client";
import { useNodes } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { age, fixed } from "../../units/format";

/** Nodes and channels with their live raw values. */
export default function Fit({ watch, bed, owner }: StageProps) {
  const nodes = useNodes(watch.site);
  if (!nodes.data) return nodes.isError ? <p role="alert" className="error">{problemOf(nodes.error)}</p> : <p className="quiet">Asking the nodes…</p>;
  const silent = nodes.data.filter((n) => n.silent);
  const shown = bed ? nodes.data.filter((n) => n.channels.some((c) => c.where.startsWith(`bed ${bed.name}`)) || n.silent) : nodes.data;
  return (
    <>
      <h1>{bed ? `Nodes of bed ${bed.name}` : "Nodes and channels"}</h1>
      <p className="lead">
        {nodes.data.length === 0
          ? "No nodes yet. docs/connecting-a-device.md says how a real Modbus device is connected."
          : silent.length === 0
            ? `All ${nodes.data.length} nodes answer.`
            : `${silent.map((n) => n.name).join(", ")} ${silent.length === 1 ? "is" : "are"} silent: check power and cable; isolate mains before opening a box.`}
      </p>
      {shown.map((n) => <Node key={n.id} node={n} now={watch.now} bedName={bed?.name ?? null} owner={owner} />)}
    </>
  );
}

function Node({ node, now, bedName, owner }: { node: NodeOut; now: string; bedName: string | null; owner: boolean }) {
  const channels = bedName === null ? node.channels : node.channels.filter((c) => c.where.startsWith(`bed ${bedName}`));
  return (
    <section className="node" aria-label={`Node ${node.name}`}>
      <div className="section-head">
        <h2>{node.name}</h2>
        <span className={node.silent ? "error" : "quiet"}>{node.silent ? "silent, last heard " : "heard "}{age(node.last_seen, now)}; {node.kind}, {node.address}</span>
      </div>
      {node.problem && <p role="alert" className="error">{node.problem}</p>}
      {channels.length > 0 && (
        <table className="plain-table channels">
          <caption className="visually-hidden">Channels of {node.name}</caption>
          <thead><tr><th scope="col">Where</th><th scope="col">What</th><th scope="col">Live</th><th scope="col">Age</th><th scope="col">Register</th></tr></thead>
          <tbody>
            {channels.map((c) => (
              <tr key={c.id}>
                <th scope="row">{c.where}</th>
                <td>{c.name}</td>
                <td><span className="mono">{fixed(c.raw, c.quantity === "raw" || c.quantity === "drain" ? 0 : 2)}</span> <span className="unit">{c.unit}</span>{!c.good && c.raw !== null && <b className="tone-clay"> out of range</b>}</td>
                <td className="quiet">{age(c.at, now)}</td>
                <td className="mono quiet">{c.register ?? "–"} {c.register_type}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {node.actuators.length > 0 && <p className="quiet">Moves: {node.actuators.join(", ")}. Each command carries its own end.</p>}
      {owner && bedName === null && <Token node={node} />}
    </section>
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
