import { useState } from "react";
import { useNavigate } from "react-router";
import { api, problemOf, take, type Bench, type ToCalibrate } from "../../api/client";
import { useBench, useChange, useJob, useLayout, useProbes } from "../../api/queries";
import { CalibrationLine } from "../../drawings/CalibrationLine";
import { CrossSection } from "../../drawings/CrossSection";
import { RawPlot } from "../../drawings/RawPlot";
import { SpiritLevel } from "../../drawings/SpiritLevel";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { age, fixed } from "../../units/format";
import { BenchControl, StandinHands } from "./BenchControl";
import { BenchCard } from "./BenchCard";
import { BenchSettings } from "./BenchSettings";
import { Compare } from "./Compare";
import { PoreWater } from "./PoreWater";
import { Versions } from "./Versions";

interface Props extends StageProps {
  target: ToCalibrate;
  mates: ToCalibrate[];
  onOpen: (target: string) => void;
  onAll: () => void;
}

/** The bench of a channel or doser: watch the bubble, capture, look at the curve, publish. */
export function BenchView({ watch, mayChange, target, mates, onOpen, onAll }: Props) {
  const [method, setMethod] = useState("");
  const [form, setForm] = useState("");
  const bench = useBench({ kind: target.target as "channel" | "doser", id: target.id }, method, form);
  if (bench.isPending) return <p className="quiet">Opening the bench…</p>;
  if (bench.isError && !bench.data) return <p role="alert" className="error">{problemOf(bench.error)}</p>;
  const b = bench.data;
  if (!b) return null;
  const next = b.cards.find((c) => c.points.length === 0) ?? b.cards.find((c) => !c.once);
  return (
    <>
      <h1>Calibrate {b.name}{b.bed_name ? `, bed ${b.bed_name}` : ""}</h1>
      <p className="lead">{leadOf(b)}</p>
      <div className="bench-choice">
        {b.ways.length > 1 && (
          <label>by{" "}
            <select className="inline-select" value={b.method.code} onChange={(e) => { setMethod(e.target.value); setForm(""); }} aria-label="Method of calibration">
              {b.ways.map((w) => <option key={w.code} value={w.code}>{w.name}</option>)}
            </select>
          </label>
        )}
        {mates.length > 1 && (
          <label>on{" "}
            <select className="inline-select" value={`${target.target}-${target.id}`} onChange={(e) => onOpen(e.target.value)} aria-label="Sensor of this bed">
              {mates.map((m) => <option key={m.id} value={`${m.target}-${m.id}`}>{m.name}{m.quantity === "raw" ? ", raw count" : ""}</option>)}
            </select>
          </label>
        )}
        <button type="button" className="quiet-button" onClick={onAll}>all sensors</button>
      </div>
      <p className="quiet method-why">{b.method.why} {b.method.cautions.map((c) => <span key={c} className="caution-inline">{c} </span>)}</p>
      <div className="bench">
        <div className="bench-place">
          <Section bench={b} site={watch.site} />
          {mayChange && b.hands && <StandinHands hands={b.hands} />}
          {mayChange && !b.hands && watch.demo && b.probe !== null && b.quantity === "raw" && <BenchControl probe={b.probe} />}
        </div>
        <div className="bench-live">
          {b.target === "channel" && (
            <>
              <div className="raw-now">
                <span className="quiet">{b.quantity === "raw" ? "Raw count" : "As it comes"}, {age(b.live.at, watch.now)}</span>
                <span className="raw-big">{fixed(b.live.raw, b.live.span_raw > 200 ? 0 : 2)} {b.quantity !== "raw" && <span className="unit">{b.unit}</span>}</span>
              </div>
              {b.method.steady && <SpiritLevel live={b.live} unit={b.unit} />}
              <RawPlot live={b.live} zone={watch.time_zone} />
            </>
          )}
          <CalibrationLine bench={b} />
        </div>
        <div className="bench-points">
          <Publish bench={b} form={form} mayChange={mayChange} />
          <BenchSettings bench={b} mayChange={mayChange} />
          {b.cards.map((card, i) => <BenchCard key={card.kind} card={card} index={i} bench={b} active={next === card} mayChange={mayChange} now={watch.now} />)}
          <Fits bench={b} onForm={setForm} />
        </div>
      </div>
      {b.draft && b.versions.length > 0 && b.target === "channel" && <Compare bench={b} form={form} zone={watch.time_zone} mayChange={mayChange} />}
      <PoreWater bench={b} mayChange={mayChange} now={watch.now} />
      <Versions bench={b} zone={watch.time_zone} mayChange={mayChange} />
    </>
  );
}

function leadOf(b: Bench): string {
  const taken = b.cards.flatMap((c) => c.points).length;
  const current = b.versions.find((v) => v.reverted_at === null);
  if (b.cards.length === 0) return b.draft ? "This way needs no capture: look at the curve and publish it." : "This way needs more of the description first.";
  if (taken === 0 && current) return `Version ${current.number} is in force. To renew it, capture anew; nothing changes until you publish.`;
  const next = b.cards.find((c) => c.points.length === 0);
  if (next && !(b.draft && !next.once)) return `${taken === 0 ? "First point" : "Next point"}: ${next.text}${b.method.steady ? " Then wait for the bubble." : ""}`;
  if (b.draft) return "The captures give a curve. Look at it, publish it, and put the sensor back in its place.";
  return b.problem ? "The captures give no curve; see below." : "One more capture gives a curve.";
}

function Section({ bench, site }: { bench: Bench; site: number }) {
  const layout = useLayout(site);
  const probes = useProbes(site);
  const probe = probes.data?.find((p) => p.id === bench.probe);
  const form = layout.data?.houses.flatMap((h) => h.beds).find((x) => x.id === bench.bed)?.form;
  if (!probe || !form) return <p className="quiet">{bench.bed_name ? "" : "This sensor stands in no container."}</p>;
  return (
    <CrossSection caption={`Bed ${bench.bed_name}, ${form.crop}`}
      container={{ shape: form.shape, width_cm: form.width_cm ?? form.top_diameter_cm ?? 20, base_cm: form.width_cm ?? form.base_diameter_cm ?? 20, height_cm: form.height_cm }}
      probe={{ name: probe.name, depth_cm: probe.depth_cm, distance_cm: probe.dripper_distance_cm }} />
  );
}

function Fits({ bench, onForm }: { bench: Bench; onForm: (form: string) => void }) {
  const d = bench.draft;
  if (!d || d.fits.length < 2) return null;
  const scale = d.gives === "theta" ? 100 : 1;
  return (
    <table className="plain-table fits">
      <caption>Curves tried</caption>
      <thead><tr><th scope="col">Curve</th><th scope="col">misses points by</th><th scope="col">foretells a left-out one to</th></tr></thead>
      <tbody>
        {d.fits.map((f) => (
          <tr key={f.form} className={f.chosen ? "chosen" : ""}>
            <th scope="row">{f.monotonic ? <button type="button" className="quiet-button" aria-pressed={f.chosen} onClick={() => onForm(f.form)}>{f.form}</button> : <>{f.form}, turns back</>}</th>
            <td>{fixed(f.rmse * scale, 2)}</td><td>{fixed(f.loo_rmse === null ? null : f.loo_rmse * scale, 2)} {scale === 100 ? "points" : ""}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Publish({ bench, form, mayChange }: { bench: Bench; form: string; mayChange: boolean }) {
  const go = useNavigate();
  const [since, setSince] = useState("");
  const body = { method: bench.method.code, number: bench.next_number, form, ...(since ? { valid_from: new Date(since).toISOString() } : {}) };
  const publish = useChange(
    () =>
      bench.target === "doser"
        ? take(api.POST("/api/dosers/{actuator_id}/calibrations/", { params: { path: { actuator_id: bench.id } }, body }))
        : take(api.POST("/api/channels/{channel_id}/calibrations/", { params: { path: { channel_id: bench.id } }, body })),
    "bench", "calibrate", "probes", "watch", "ribbon", "lines", "nodes",
  );
  const d = bench.draft;
  if (publish.isSuccess && !d) {
    return (
      <section className="point open" aria-label="Published">
        <h2>Published</h2>
        {bench.value.value !== null && <><p>{bench.water ? "The bed has a water content now:" : "It reads now:"}</p><p><Fig figure={bench.value} label={bench.water ? "water content" : bench.name} big /></p></>}
        {bench.water && bench.ml_per_point && <p><Fig figure={bench.water} label="water held" />, and one point is <Fig figure={bench.ml_per_point} label="one point of water content" />.</p>}
        {publish.data.job !== null && <JobLine job={publish.data.job} />}
        {bench.quantity === "raw" && <p className="quiet">Put the probe back in the bed before its programme acts on it.</p>}
        {bench.water && bench.bed !== null && <button type="button" className="button primary" onClick={() => go(`/water/${bench.bed}`)}>Go to Water</button>}
      </section>
    );
  }
  if (!d) return bench.problem ? <p role="alert" className="error">{bench.problem}</p> : null;
  return (
    <section className="point" aria-label="What the points give">
      <p className={d.passed ? "" : "error"}>
        {d.words}
        {d.resolution !== null && d.gives === "theta" && ` The reading resolves ${fixed(d.resolution, 1)} points.`}
        {d.value_now !== null && ` Now it would read ${fixed(d.value_now * (d.gives === "theta" ? 100 : 1), d.gives === "theta" ? 1 : 2)} ${bench.gives_unit}.`}
      </p>
      {d.provisional && <p className="quiet">Provisional: every figure that stands on it says so.</p>}
      {mayChange && (
        <>
          <button type="button" className="button primary capture" disabled={publish.isPending} onClick={() => publish.mutate(undefined)}>
            Publish version {bench.next_number}, from {since ? "then" : "now"}
          </button>
          {bench.target === "channel" && (
            <details>
              <summary>from a past moment</summary>
              <label>valid from <input type="datetime-local" aria-label="Valid from" value={since} onChange={(e) => setSince(e.target.value)} /></label>
              <span className="quiet block">By this machine&apos;s clock. History from then on is worked out anew; the version before stays readable.</span>
            </details>
          )}
        </>
      )}
      {publish.isError && <p role="alert" className="error">{problemOf(publish.error)}</p>}
    </section>
  );
}

/** How far the background job is; it can be left, it goes on by itself, or be called off. */
export function JobLine({ job }: { job: number }) {
  const state = useJob(job);
  const cancel = useChange(() => take(api.POST("/api/jobs/{job_id}/cancel/", { params: { path: { job_id: job } } })), "job");
  if (!state.data) return null;
  const { title, done, total, state: how, message } = state.data;
  const open = how === "waiting" || how === "running";
  return (
    <p className="quiet" role="status">
      {title}: {how === "done" ? message || "worked out anew" : how === "failed" ? `failed, ${message}` : how === "cancelled" ? "called off" : `${done} of ${total} done`}.{" "}
      {open && <button type="button" className="quiet-button" disabled={cancel.isPending} onClick={() => cancel.mutate(undefined)}>call it off</button>}
    </p>
  );
}
