import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take } from "../../api/client";
import { useLive } from "../../api/live";
import { useNodes } from "../../api/queries";
import { age, fixed } from "../../units/format";
import { ProofBench } from "./ProofBench";

/** A probe as the code on its label opens it: what it reads now, its test, its calibration. For the phone. */
export default function ProbePage({ probe }: { probe: number }) {
  const page = useQuery({ queryKey: ["probe-page", probe], queryFn: () => take(api.GET("/api/probes/{probe_id}/", { params: { path: { probe_id: probe } } })), retry: false });
  if (!page.data) return <main className="sheet phone-page"><h1>Probe</h1>{page.isError ? <p role="alert" className="error">{problemOf(page.error)}</p> : <p className="quiet">Opening…</p>}</main>;
  return <Opened page={page.data} />;
}

function Opened({ page: p }: { page: { id: number; name: string; kind: string; site: number; bed: number; bed_name: string; crop: string; depth_cm: number; dripper_distance_cm: number; plant: number | null; node: string; calibrated: string } }) {
  useLive(p.site);
  const nodes = useNodes(p.site);
  const [testing, setTesting] = useState(false);
  const now = new Date().toISOString();
  const channels = nodes.data?.flatMap((n) => n.channels).filter((c) => c.probe === p.id) ?? [];
  const main = channels[0];
  const latest = channels.map((c) => c.at).filter((t): t is string => t !== null).sort().at(-1) ?? now;
  return (
    <main className="sheet phone-page">
      <h1>Probe {p.name}</h1>
      <p className="lead">{p.kind} in bed {p.bed_name}, {p.crop}{p.plant ? `, by plant ${p.plant}` : ""}; {fixed(p.depth_cm, 1)} cm deep, {fixed(p.dripper_distance_cm, 1)} cm from the dripper. {p.calibrated[0]?.toUpperCase()}{p.calibrated.slice(1)}.</p>
      <dl className="device-now">
        {channels.map((c) => <div key={c.id}><dt>{c.name}</dt><dd><span className="mono">{fixed(c.raw, c.digits)}</span> {c.unit} <span className="quiet">{age(c.at, latest)}</span>{c.fault && <b className="tone-clay"> {c.fault}</b>}</dd></div>)}
      </dl>
      {main && testing && <ProofBench channel={main.id} mayChange next={null} onLeave={() => setTesting(false)} />}
      {!testing && (
        <div className="proof-acts">
          {main && <button type="button" className="button primary thumb" onClick={() => setTesting(true)}>Prove it</button>}
          <a className="button thumb" href={`/calibrate/${p.bed}`}>Calibrate it</a>
          <a className="button thumb" href={`/watch/${p.bed}`}>Watch bed {p.bed_name}</a>
        </div>
      )}
    </main>
  );
}
