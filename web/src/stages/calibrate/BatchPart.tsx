import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type BatchRow, type ToCalibrate } from "../../api/client";
import { useChange } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";
import { StandinHands } from "./BenchControl";

const KINDS = [
  { kind: "dry", title: "Dry mix", text: "All of them in one bucket of air-dried mix, pressed as in the bed." },
  { kind: "wet", title: "Soaked and drained", text: "All of them in one bucket of soaked and drained mix." },
] as const;

const proposal = (rows: BatchRow[], kind: string): string => fixed((rows.find((r) => r.proposed[kind] !== undefined)?.proposed[kind] ?? 0) * 100, 1);

/** Twelve probes of one kind in one bucket: chosen together, captured together, published together. */
export default function BatchPart({ watch, mayChange, rows }: StageProps & { rows: ToCalibrate[] }) {
  const probes = rows.filter((r) => r.quantity === "raw");
  const [chosen, setChosen] = useState<number[]>([]);
  const [theta, setTheta] = useState<Record<string, string>>({});
  const path = { params: { path: { site_id: watch.site } } };
  const body = { channels: chosen, method: "two_point" };
  const live = useQuery({ queryKey: ["batch", watch.site, chosen], queryFn: () => take(api.POST("/api/sites/{site_id}/batch/", { ...path, body })), refetchInterval: 2_000, enabled: chosen.length > 0 });
  const capture = useChange((kind: "dry" | "wet") => take(api.POST("/api/sites/{site_id}/batch/captures/", { ...path, body: { ...body, kind, theta: valueOf(kind) } })), "batch", "bench");
  const publish = useChange(() => take(api.POST("/api/sites/{site_id}/batch/publish/", { ...path, body })), "batch", "bench", "calibrate", "watch", "ribbon", "lines");
  const shown = chosen.length ? (live.data ?? []) : [];
  const textOf = (kind: "dry" | "wet") => theta[kind] ?? proposal(shown, kind);
  const valueOf = (kind: "dry" | "wet") => Number(textOf(kind).replace(",", ".")) / 100;
  const steady = shown.filter((r) => r.live.steady).length;
  const ready = shown.filter((r) => r.draft).length;
  const hands = shown.find((r) => r.hands)?.hands;
  const told = publish.data ?? capture.data;
  return (
    <>
      <h1>Many probes in one bucket</h1>
      <p className="lead">{chosen.length === 0 ? "Choose the probes that stand in the same mix; they are captured together." : `${chosen.length} probes: ${steady} steady, ${ready} ready to publish.`}</p>
      <fieldset className="batch-choice">
        <legend>Probes</legend>
        {probes.length > 2 && <button type="button" className="quiet-button" onClick={() => setChosen(chosen.length === probes.length ? [] : probes.map((p) => p.id))}>{chosen.length === probes.length ? "none" : "all"}</button>}
        {probes.map((p) => (
          <label key={p.id}><input type="checkbox" checked={chosen.includes(p.id)} onChange={(e) => setChosen(e.target.checked ? [...chosen, p.id] : chosen.filter((c) => c !== p.id))} /> {p.name}, {p.group}</label>
        ))}
      </fieldset>
      {live.isError && <p role="alert" className="error">{problemOf(live.error)}</p>}
      {shown.length > 0 && (
        <>
          <div className="batch-acts">
            {KINDS.map((k, i) => (
              <section key={k.kind} className="point open" aria-label={k.title}>
                <h2>{i + 1} {k.title}</h2>
                <p>{k.text}</p>
                <label className="asked">water content <input className="inline-number" inputMode="decimal" aria-label={`Water content of ${k.title} in % v/v`} value={textOf(k.kind)} onChange={(e) => setTheta({ ...theta, [k.kind]: e.target.value })} /> %</label>
                <span className="quiet block">{theta[k.kind] === undefined ? "proposed from the medium of the first probe’s bed" : "as typed"}</span>
                {mayChange && <button type="button" className="button primary capture" disabled={steady === 0 || capture.isPending} onClick={() => capture.mutate(k.kind)}>Capture the {steady} steady</button>}
              </section>
            ))}
            {hands && mayChange && <StandinHands hands={hands} also={shown.flatMap((r) => (r.hands && r.hands.channel !== hands.channel ? [r.hands.channel] : []))} />}
          </div>
          {(capture.isError || publish.isError) && <p role="alert" className="error">{problemOf(capture.error ?? publish.error)}</p>}
          <table className="plain-table stacked">
            <caption className="visually-hidden">Probes of this batch</caption>
            <thead><tr><th scope="col">Probe</th><th scope="col">Now</th><th scope="col">Dry</th><th scope="col">Wet</th><th scope="col">Gives</th><th scope="col">Said</th></tr></thead>
            <tbody>
              {shown.map((r) => (
                <tr key={r.channel}>
                  <th scope="row">{r.name}<span className="quiet block">bed {r.bed_name}</span></th>
                  <td data-label="now" className="mono">{fixed(r.live.raw, 0)}<span className="quiet block">{r.live.steady ? "● steady" : `○ ${r.live.why}`}</span></td>
                  <td data-label="dry" className="mono">{fixed(r.captured.dry, 0)}</td><td data-label="wet" className="mono">{fixed(r.captured.wet, 0)}</td>
                  <td data-label="gives">{r.draft ? `resolves ${fixed(r.draft.resolution, 1)} points` : r.problem || "–"}</td>
                  <td>{told?.rows.find((o) => o.channel === r.channel)?.message ?? ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {mayChange && <button type="button" className="button primary" disabled={ready === 0 || publish.isPending} onClick={() => publish.mutate(undefined)}>Publish the {ready} that are ready</button>}
        </>
      )}
      <p className="quiet">The bucket must be even: mix it well, press it alike round every rod, and keep the rods a hand apart. A weighed sample of it is better than the proposed water content.</p>
    </>
  );
}
