import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { Link } from "react-router";
import { api, problemOf, take, type ActuatorProof, type NodeOut } from "../../api/client";
import type { StageProps } from "../../frame/Frame";
import { HoldButton } from "../../frame/HoldButton";
import { age, fixed } from "../../units/format";

const SIGN = (value: boolean | null) => (value === null ? "…" : value ? "✓" : "✕");

/** The test of a valve, pump, contact or doser: it runs only while the button is held. */
export default function ProveActuator({ watch, mayChange, nodes, device }: StageProps & { nodes: NodeOut[]; device: number }) {
  const client = useQueryClient();
  const actuator = nodes.flatMap((n) => n.actuators).find((a) => a.id === device);
  const [id, setId] = useState<number | null>(null);
  const path = { params: { path: { proof_id: id ?? 0 } } };
  // The same function at every render: the hold button lets go when it changes.
  const keep = useCallback((proof: ActuatorProof) => { setId(proof.id); client.setQueryData(["actuator-proof", proof.id], proof); }, [client]);
  const onHold = useCallback(async () => keep(await take(api.POST("/api/actuator-proofs/{proof_id}/hold/", { params: { path: { proof_id: id ?? 0 } } }))), [id, keep]);
  const onLetGo = useCallback(async () => keep(await take(api.POST("/api/actuator-proofs/{proof_id}/release/", { params: { path: { proof_id: id ?? 0 } } }))), [id, keep]);
  const begin = useMutation({ mutationFn: () => take(api.POST("/api/actuators/{actuator_id}/proof/", { params: { path: { actuator_id: device } } })), onSuccess: keep });
  const state = useQuery({ queryKey: ["actuator-proof", id], enabled: id !== null, queryFn: () => take(api.GET("/api/actuator-proofs/{proof_id}/", path)), refetchInterval: (q) => (q.state.data?.outcome === "open" ? 1_000 : false) });
  const step = useMutation({ mutationFn: (to: string) => take(api.POST("/api/actuator-proofs/{proof_id}/step/", { ...path, body: { step: to } })), onSuccess: keep });
  const finish = useMutation({
    mutationFn: (seen: { runs?: boolean; stops?: boolean; level?: boolean }) => take(api.POST("/api/actuator-proofs/{proof_id}/finish/", { ...path, body: seen })),
    onSuccess: (proof) => { keep(proof); void client.invalidateQueries({ queryKey: ["nodes"] }); },
  });
  if (!actuator) return <p className="lead">This device is not here any more. <Link to="?part=prove">Back to the list</Link></p>;
  const p = state.data;
  const error = begin.error ?? state.error ?? step.error ?? finish.error;
  return (
    <>
      <h1>Test {actuator.name}</h1>
      {!p ? (
        <>
          <p className="lead">It runs only while you hold the button, three seconds at a time, and stops by itself when you let go, close the page or lose the network. Stand where you can see it.</p>
          {mayChange && <button type="button" className="button primary thumb" disabled={begin.isPending} onClick={() => begin.mutate()}>Begin the test</button>}
        </>
      ) : (
        <>
          <p className="lead" aria-live="polite">{sayStep(p)}</p>
          <dl className="device-now">
            <div><dt>runs for</dt><dd>{p.left_s > 0 ? `${fixed(p.left_s, 0)} s more` : "at rest"}</dd></div>
            <div><dt>flow</dt><dd>{p.flow_measured ? <>{fixed(p.flow_l_min, 1)} L/min <span className="quiet">{age(p.flow_at, watch.now)}</span></> : "no flow meter: look for yourself"}</dd></div>
            {p.kind === "pump" && <div><dt>level switch</dt><dd>{p.level_measured ? (p.level_empty ? "says empty" : "says there is water") : "no channel for it"}</dd></div>}
            <div><dt>held</dt><dd>{fixed(p.held_s, 0)} of {fixed(p.most_held_s, 0)} s</dd></div>
          </dl>
          {p.outcome === "open" && mayChange && id !== null && <HoldButton label={p.step === "level" ? "Hold: the pump must stay still" : `Hold to run ${p.kind === "valve" ? "valve and pump" : "it"}`} onHold={onHold} onLetGo={onLetGo} />}
          <ul className="findings">
            <li className={p.runs === false ? "finding-refuse" : p.runs ? "finding-ok" : ""}><b>{SIGN(p.runs)} runs</b> {p.runs_flow_l_min !== null ? `up to ${fixed(p.runs_flow_l_min, 1)} L/min seen` : p.runs === null ? "hold the button for some seconds" : "confirmed by its node"}</li>
            <li className={p.stops === false ? "finding-refuse" : p.stops ? "finding-ok" : ""}><b>{SIGN(p.stops)} stops</b> {p.stops === null ? "let go and wait until the flow has ended" : p.stops ? "the flow ended after you let go" : "it still flows: close the hand valve now"}</li>
            {p.kind === "pump" && <li className={p.level === false ? "finding-refuse" : p.level ? "finding-ok" : ""}><b>{SIGN(p.level)} level switch blocks it</b> {p.level === null ? "push the float to empty, choose this step, and hold" : p.level ? "no flow while the switch said empty" : "it ran with the switch at empty: it would burn out dry"}</li>}
          </ul>
          {p.outcome === "open" && mayChange ? (
            <div className="proof-acts">
              {p.kind === "pump" && <button type="button" className="button" aria-pressed={p.step === "level"} onClick={() => step.mutate(p.step === "level" ? "run" : "level")}>{p.step === "level" ? "Back to running it" : "Now with the float at empty"}</button>}
              <button type="button" className="button primary thumb" disabled={finish.isPending} onClick={() => finish.mutate(p.flow_measured ? {} : { runs: p.runs ?? false, stops: p.stops ?? false })}>Keep the result</button>
            </div>
          ) : <p role="status" className="lead">{p.outcome === "pass" ? "✓ Passed" : p.outcome === "fail" ? "✕ Failed" : p.outcome === "retry" ? "? Not all was seen; test it again" : ""}{p.outcome !== "open" && `, kept by ${p.by}.`} <Link to="?part=prove">Back to the list</Link></p>}
        </>
      )}
      {error && <p role="alert" className="error">{problemOf(error)}</p>}
      <p className="quiet">Pressure off before you open a pipe; hands off moving parts. A hard-wired float switch stays, whatever this test says.</p>
    </>
  );
}

function sayStep(p: ActuatorProof): string {
  if (p.outcome !== "open") return "The result is kept.";
  if (p.step === "level") return "Push the float to empty and keep it there, then hold the button: nothing may flow.";
  if (p.left_s > 0) return `It runs. It ends by itself ${fixed(p.left_s, 0)} s after you let go at the latest.`;
  return p.runs === null ? "Hold the button and watch it run." : p.stops === null ? "Let go, and watch it stop." : "Both are seen. Keep the result, or go on.";
}
