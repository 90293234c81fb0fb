import { useSearchParams } from "react-router";
import type { NodeOut } from "../../api/client";
import type { StageProps } from "../../frame/Frame";
import { age } from "../../units/format";
import { ProofBench } from "./ProofBench";

/** Choose a channel, prove it, go on to the next of the same node. */
export default function ProveSensor({ watch, bed, mayChange, nodes, channel }: StageProps & { nodes: NodeOut[]; channel: number }) {
  const [search, setSearch] = useSearchParams();
  const open = (id: number) => setSearch({ part: "prove", channel: String(id) });
  const node = nodes.find((n) => n.channels.some((c) => c.id === channel));
  const found = node?.channels.find((c) => c.id === channel);
  if (!found || !node) {
    const many = !bed && nodes.length > 6;
    const walked = nodes.find((n) => n.id === Number(search.get("node"))) ?? nodes.find((n) => n.channels.some((c) => c.proof?.outcome !== "pass")) ?? nodes[0];
    const here = many && walked ? [walked] : nodes;
    const channels = here.flatMap((n) => n.channels.map((c) => ({ ...c, node: n.name }))).filter((c) => !bed || c.bed === bed.id);
    const unproven = channels.filter((c) => c.proof?.outcome !== "pass");
    const devices = here.flatMap((n) => n.actuators).filter((a) => !bed || a.bed === bed.id);
    return (
      <>
        <h1>Prove sensors and devices</h1>
        <p className="lead">{channels.length === 0 ? "No channel here yet: add a node first." : unproven.length === 0 ? "Every channel here has passed its test." : `${unproven.length} of ${channels.length} channels are not proven yet. A test takes about three minutes: as it hangs, moved, and back.`}</p>
        {many && (
          <label className="choose-node">One walk, one node:{" "}
            <select className="inline-select" value={walked?.id} onChange={(e) => setSearch({ part: "prove", node: e.target.value })}>
              {nodes.map((n) => <option key={n.id} value={n.id}>{n.name}: {n.channels.filter((c) => c.proof?.outcome !== "pass").length} of {n.channels.length} to prove</option>)}
            </select>
          </label>
        )}
        <ul className="probe-list">
          {[...unproven, ...channels.filter((c) => c.proof?.outcome === "pass")].map((c) => (
            <li key={c.id}>
              <span><b>{c.name}</b> {c.where} <span className="quiet">{c.node}; {c.proof ? `${c.proof.outcome === "pass" ? "passed" : c.proof.outcome === "fail" ? "failed" : "try again"}, ${age(c.proof.at, watch.now)}` : "not tested yet"}</span></span>
              {mayChange && <button type="button" className="button" aria-label={`Prove ${c.name} of ${c.where}`} onClick={() => open(c.id)}>Prove</button>}
            </li>
          ))}
        </ul>
        {devices.length > 0 && <h2>Valves, pumps and other devices</h2>}
        <ul className="probe-list">
          {devices.map((a) => (
            <li key={a.id}><span><b>{a.name}</b> <span className="quiet">{a.proof ? `${a.proof.outcome === "pass" ? "passed" : "not passed"}, ${age(a.proof.at, watch.now)}` : "not tested yet"}</span></span>
              {mayChange && <button type="button" className="button" aria-label={`Test ${a.name}`} onClick={() => setSearch({ part: "prove", device: String(a.id) })}>Test</button>}</li>
          ))}
        </ul>
      </>
    );
  }
  const next = node.channels.find((c) => c.id !== channel && c.proof?.outcome !== "pass");
  return (
    <>
      <h1>Prove {found.name} of {found.where}</h1>
      <ProofBench key={channel} channel={channel} mayChange={mayChange} next={next ? { label: `${next.name} of ${next.where}`, go: () => open(next.id) } : null} onLeave={() => setSearch({ part: "prove" })} />
    </>
  );
}
