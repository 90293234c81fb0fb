import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, problemOf, take, type Proof } from "../../api/client";
import { ProofPlot } from "../../drawings/ProofPlot";
import { fixed, seconds } from "../../units/format";

const WORDS: Record<string, { word: string; sign: string }> = { pass: { word: "passed", sign: "✓" }, retry: { word: "try once more", sign: "?" }, fail: { word: "failed", sign: "✕" } };

interface Props {
  channel: number;
  mayChange: boolean;
  next: { label: string; go: () => void } | null;
  onLeave: () => void;
}

/** The guided test: as it is, moved, back; every figure against its limit. Made for one hand. */
export function ProofBench({ channel, mayChange, next, onLeave }: Props) {
  const client = useQueryClient();
  const [id, setId] = useState<number | null>(null);
  const keep = (proof: Proof) => {
    setId(proof.id);
    client.setQueryData(["proof", proof.id], proof);
  };
  const start = useMutation({ mutationFn: () => take(api.POST("/api/channels/{channel_id}/proof/", { params: { path: { channel_id: channel } } })), onSuccess: keep });
  const path = { params: { path: { proof_id: id ?? 0 } } };
  const step = useMutation({ mutationFn: () => take(api.POST("/api/proofs/{proof_id}/next/", path)), onSuccess: keep });
  const end = useMutation({
    mutationFn: () => take(api.POST("/api/proofs/{proof_id}/finish/", path)),
    onSuccess: (proof) => { keep(proof); void client.invalidateQueries({ queryKey: ["nodes"] }); },
  });
  const giveUp = useMutation({ mutationFn: () => take(api.POST("/api/proofs/{proof_id}/give-up/", path)), onSuccess: onLeave });
  const proof = useQuery({ queryKey: ["proof", id], enabled: id !== null, queryFn: () => take(api.GET("/api/proofs/{proof_id}/", path)), refetchInterval: (q) => (q.state.data?.outcome === "open" ? 2_000 : false) });
  const error = start.error ?? step.error ?? end.error ?? proof.error;
  const p = proof.data;
  if (!p) {
    return (
      <>
        <p className="lead">The test takes about three minutes. Leave the sensor as it is and begin; you are told when to move it. Nothing is watered by it meanwhile if its reading is out of range.</p>
        {mayChange && <button type="button" className="button primary thumb" disabled={start.isPending} onClick={() => start.mutate()}>Begin the test</button>}
        {error && <p role="alert" className="error">{problemOf(error)}</p>}
        <Earlier channel={channel} />
      </>
    );
  }
  const current = p.phases.filter((x) => x.since !== null).at(-1);
  const following = p.phases[p.phases.findIndex((x) => x === current) + 1];
  const enough = (current?.readings ?? 0) >= 6;
  const open = p.outcome === "open";
  return (
    <div className="proof">
      <p className="lead" aria-live="polite">
        {!open ? `${WORDS[p.outcome]?.sign} ${WORDS[p.outcome]?.word}.` : enough ? (current?.steady ? `Steady ${current.instruction}. ${following ? `Now put it: ${following.instruction}.` : "That was the last step."}` : `${current?.readings} readings ${current?.instruction}; ${current?.why}. You may go on, or wait until it is steady.`) : `Keep it ${current?.instruction}. ${current?.readings ?? 0} of 6 readings.`}
      </p>
      <ol className="phases">
        {p.phases.map((x) => <li key={x.name} className={x.since === null ? "" : x === current && open ? "next" : "done"}>{x.instruction}<span className="quiet"> {x.since !== null ? `${x.readings} readings` : ""}</span></li>)}
      </ol>
      <ProofPlot proof={p} />
      {p.standin && open && <StandinHands proof={p} />}
      {open && mayChange && (
        <div className="proof-acts">
          {following ? (
            <button type="button" className="button primary thumb" disabled={!enough || step.isPending} onClick={() => step.mutate()}>It is {following.instruction} now</button>
          ) : (
            <button type="button" className="button primary thumb" disabled={!enough || end.isPending} onClick={() => end.mutate()}>Judge and keep</button>
          )}
          <button type="button" className="quiet-button" onClick={() => giveUp.mutate()}>give this test up</button>
        </div>
      )}
      {error && <p role="alert" className="error">{problemOf(error)}</p>}
      {p.checks.length > 0 && <Checks proof={p} />}
      {!open && (
        <div className="proof-acts">
          {next && <button type="button" className="button primary thumb" onClick={next.go}>Next: {next.label}</button>}
          {p.outcome !== "pass" && mayChange && <button type="button" className="button thumb" onClick={() => { setId(null); start.mutate(); }}>Test it again</button>}
          <button type="button" className="quiet-button" onClick={onLeave}>back to the list</button>
        </div>
      )}
    </div>
  );
}

/** Tests that were kept, with their curve and their figures. */
function Earlier({ channel }: { channel: number }) {
  const past = useQuery({ queryKey: ["proof", "past", channel], queryFn: () => take(api.GET("/api/channels/{channel_id}/proofs/", { params: { path: { channel_id: channel } } })) });
  const kept = past.data?.filter((p) => p.outcome !== "open") ?? [];
  if (kept.length === 0) return <p className="quiet">No test of this channel is kept yet.</p>;
  return (
    <section aria-label="Earlier tests">
      <h2>Earlier tests</h2>
      {kept.map((p) => (
        <details key={p.id}>
          <summary>{WORDS[p.outcome]?.sign} {WORDS[p.outcome]?.word}, {p.by}, {p.ended_at ? p.ended_at.slice(0, 16).replace("T", " ") : ""} UTC</summary>
          <ProofPlot proof={p} />
          <Checks proof={p} />
        </details>
      ))}
    </section>
  );
}

function Checks({ proof: p }: { proof: Proof }) {
  const shown = (value: number | null, unit: string) => (value === null ? "–" : unit === "s" ? seconds(value) : unit === "raw" ? `${fixed(value, Math.abs(value) < 20 ? 2 : 0)} ${p.unit}` : `${fixed(value, 0)} ${unit}`);
  return (
    <table className="plain-table checks">
      <caption>{p.outcome === "open" ? "So far" : `Kept, by ${p.by}`}</caption>
      <thead><tr><th scope="col">Check</th><th scope="col">Found</th><th scope="col">Limit</th></tr></thead>
      <tbody>
        {p.checks.map((c) => (
          <tr key={c.code} className={`check-${c.outcome}`}>
            <th scope="row"><span aria-hidden="true">{WORDS[c.outcome]?.sign}</span> {c.words}<span className="visually-hidden"> {WORDS[c.outcome]?.word}</span></th>
            <td>{shown(c.figure, c.unit)}</td><td>{c.code === "reaction" || c.code === "stuck" ? "at least " : "at most "}{shown(c.limit, c.unit)}</td>
          </tr>
        ))}
        {p.figures.resolution_points != null && p.quantity === "raw" && <tr><th scope="row">It resolves</th><td>{fixed(p.figures.resolution_points, 1)} points</td><td className="quiet">of water content, from its noise and span</td></tr>}
      </tbody>
    </table>
  );
}

/** A stand-in's sensor has no hand to move it; this is one. */
function StandinHands({ proof }: { proof: Proof }) {
  const [place, setPlace] = useState(proof.standin_place);
  const put = useMutation({ mutationFn: (to: string) => take(api.POST("/api/channels/{channel_id}/standin-place/", { params: { path: { channel_id: proof.channel } }, body: { place: to } })), onSuccess: (_, to) => setPlace(to) });
  useEffect(() => setPlace(proof.standin_place), [proof.standin_place]);
  const places = [{ code: "first", label: proof.phases[0]?.instruction }, { code: "changed", label: proof.phases[1]?.instruction }, { code: "bed", label: "at its own place" }];
  return (
    <fieldset className="bench-control row">
      <legend>Stand-in: the sensor is</legend>
      {places.map((x) => <button key={x.code} type="button" aria-pressed={place === x.code} disabled={put.isPending} onClick={() => put.mutate(x.code)}>{x.label}</button>)}
    </fieldset>
  );
}
