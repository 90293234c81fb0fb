import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiError, api, problemOf, take, type Bench, type BenchPoint, type Probe } from "../../api/client";
import { useBench, useChange, useJob, useLayout } from "../../api/queries";
import { CalibrationLine } from "../../drawings/CalibrationLine";
import { CrossSection } from "../../drawings/CrossSection";
import { RawPlot } from "../../drawings/RawPlot";
import { SpiritLevel } from "../../drawings/SpiritLevel";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { age, clock, dayName, fixed, percent } from "../../units/format";
import { BenchControl, StandinBench } from "./BenchControl";

/** Two points in the substrate: watch the bubble, capture dry, capture wet, publish. */
export function BenchView({ watch, bed, mayChange, probe }: StageProps & { probe: Probe }) {
  const bench = useBench(probe.id);
  const layout = useLayout(watch.site);
  if (bench.isPending) return <p className="quiet">Opening the bench…</p>;
  if (bench.isError && !bench.data) return <p role="alert" className="error">{problemOf(bench.error)}</p>;
  const b = bench.data;
  if (!b) return null;
  const form = layout.data?.houses.flatMap((h) => h.beds).find((x) => x.id === b.bed)?.form;
  const next = b.points.find((p) => p.raw === null);
  return (
    <>
      <h1>Calibrate probe {b.probe_name} in its own {bed?.substrate ?? "substrate"}</h1>
      <p className="lead">{leadOf(b, next)}</p>
      <div className="bench">
        <div className="bench-place">
          {form && (
            <CrossSection caption={`Bed ${b.bed_name}, ${form.crop}`}
              container={{ shape: form.shape, width_cm: form.width_cm ?? form.top_diameter_cm ?? 20, base_cm: form.width_cm ?? form.base_diameter_cm ?? 20, height_cm: form.height_cm }}
              probe={{ name: b.probe_name, depth_cm: probe.depth_cm, distance_cm: probe.dripper_distance_cm }} />
          )}
          {probe.standin_channel !== null && mayChange ? <StandinBench channel={probe.standin_channel} place={probe.standin_place} /> : watch.demo && mayChange && <BenchControl probe={probe.id} />}
        </div>
        <div className="bench-live">
          <div className="raw-now">
            <span className="quiet">Raw count, {age(b.at, watch.now)}</span>
            <span className="raw-big">{fixed(b.raw, 0)}</span>
          </div>
          <SpiritLevel bench={b} />
          <RawPlot bench={b} zone={watch.time_zone} />
          <CalibrationLine bench={b} />
        </div>
        <div className="bench-points">
          <Publish bench={b} mayChange={mayChange} bed={b.bed} />
          {b.points.map((p, i) => (
            <PointCard key={`${p.kind}${p.taken_at ?? ""}`} point={p} index={i} bench={b} active={next === p} mayChange={mayChange} now={watch.now} />
          ))}
        </div>
      </div>
      <Versions bench={b} zone={watch.time_zone} />
    </>
  );
}

function leadOf(b: Bench, next: BenchPoint | undefined): string {
  const started = b.points.some((p) => p.raw !== null);
  if (!started && b.versions[0]) return `Version ${b.versions[0].number} is in force. To renew it, capture two new points; nothing changes until you publish.`;
  if (next) return next.kind === "dry" ? `First point: ${next.instruction} Then wait for the bubble.` : `Second point: ${next.instruction} Then wait for the bubble.`;
  return b.result ? "Both points are captured. Look at the line, publish it, and put the probe back in the bed." : "Both points are captured, but they give no line; see below.";
}

function PointCard({ point, index, bench, active, mayChange, now }: { point: BenchPoint; index: number; bench: Bench; active: boolean; mayChange: boolean; now: string }) {
  const [text, setText] = useState(fixed((point.theta ?? point.proposed_theta) * 100, 1));
  const [again, setAgain] = useState(false);
  const theta = Number(text.replace(",", ".")) / 100;
  const capture = useChange(
    () => take(api.POST("/api/probes/{probe_id}/captures/", { params: { path: { probe_id: bench.probe } }, body: { kind: point.kind, theta } })),
    "bench",
  );
  const open = active || again;
  const error = capture.error instanceof ApiError ? capture.error : null;
  return (
    <section className={`point ${open ? "open" : ""}`} aria-label={`Point ${index + 1}: ${point.title}`}>
      <h2>{index + 1} {point.title}</h2>
      {point.raw === null ? <p>{point.instruction}</p> : (
        <p>
          {fixed(point.raw, 0)} counts, scatter {fixed(point.noise_raw, 0)}, at {percent(point.theta)}
          <span className="quiet block">captured {age(point.taken_at, now)}, {point.taken_by}</span>
        </p>
      )}
      {open && mayChange && (
        <>
          <label>
            water content{" "}
            <input className="inline-number" inputMode="decimal" value={text} aria-label={`Water content of point ${index + 1} in % v/v`} onChange={(e) => setText(e.target.value)} /> %
          </label>
          <span className="quiet block">{point.origin}</span>
          <button type="button" className="button primary capture" disabled={!bench.steady || capture.isPending || Number.isNaN(theta)} onClick={() => capture.mutate(undefined, { onSuccess: () => setAgain(false) })}>
            {capture.isPending ? "Capturing…" : "Capture"}
          </button>
          {!bench.steady && <span className="quiet block">Capture wakes when the bubble rests in the middle.</span>}
          {error && <p role="alert" className="error">{error.message}</p>}
        </>
      )}
      {!open && point.raw !== null && mayChange && (
        <button type="button" className="quiet-button" onClick={() => setAgain(true)}>capture again</button>
      )}
    </section>
  );
}

function Publish({ bench, mayChange, bed }: { bench: Bench; mayChange: boolean; bed: number }) {
  const go = useNavigate();
  const number = (bench.versions[0]?.number ?? 0) + 1;
  const publish = useChange(
    () => take(api.POST("/api/probes/{probe_id}/calibrations/", { params: { path: { probe_id: bench.probe } }, body: { number } })),
    "bench", "probes", "watch", "ribbon", "lines",
  );
  if (publish.isSuccess && bench.theta.value !== null) {
    return (
      <section className="point open" aria-label="Published">
        <h2>Published</h2>
        <p>The bed has a water content now:</p>
        <p><Fig figure={bench.theta} label="water content" big /></p>
        <p><Fig figure={bench.water} label="water held" />, and one point is <Fig figure={bench.ml_per_point} label="one point of water content" />.</p>
        <JobLine job={publish.data.job} />
        <p className="quiet">Put the probe back in the bed before its programme acts on it.</p>
        <button type="button" className="button primary" onClick={() => go(`/water/${bed}`)}>Go to Water</button>
      </section>
    );
  }
  const r = bench.result;
  return (
    <>
      {bench.problem && <p role="alert" className="error">{bench.problem}</p>}
      {r && (
        <section className="point" aria-label="What the points give">
          <p>
            Raw {r.raw_falls ? "falls" : "rises"} as water rises. One point of water is {fixed(Math.abs(r.slope_counts_per_point), 0)} counts;
            the reading resolves {fixed(r.resolution_points, 1)} points. Now it would read {percent(r.theta_now)}.
          </p>
          {mayChange && (
            <button type="button" className="button primary capture" disabled={publish.isPending} onClick={() => publish.mutate(undefined)}>
              Publish version {number}, from now
            </button>
          )}
          {publish.isError && <p role="alert" className="error">{problemOf(publish.error)}</p>}
        </section>
      )}
    </>
  );
}

/** How far the background job is; it can be left, it goes on by itself. */
function JobLine({ job }: { job: number }) {
  const state = useJob(job);
  if (!state.data) return null;
  const { title, done, total, state: how, message } = state.data;
  return <p className="quiet" role="status">{title}: {how === "done" ? "worked out anew" : how === "failed" ? `failed, ${message}` : `${done} of ${total} days worked out`}.</p>;
}

function Versions({ bench, zone }: { bench: Bench; zone: string }) {
  return (
    <section aria-label="Earlier calibrations">
      <h2>This probe&apos;s calibrations</h2>
      {bench.versions.length === 0 ? (
        <p className="quiet">None yet. The first one is valid from the moment it is published.</p>
      ) : (
        <ul className="versions">
          {bench.versions.map((v) => (
            <li key={v.number}>
              <b>Version {v.number}</b>, {v.method}{v.provisional ? " (provisional)" : ""}, from {dayName(v.valid_from, zone)} {clock(v.valid_from, zone)}, {v.published_by}:{" "}
              {fixed(v.raw_dry, 0)} counts at {percent(v.theta_dry)}, {fixed(v.raw_wet, 0)} at {percent(v.theta_wet)}; resolves {fixed(v.resolution_points, 1)} points
            </li>
          ))}
        </ul>
      )}
      <p className="quiet">
        Air and water are only a quick check: in plain water the rods touch more water than any medium gives them, so the span is stretched and a bed seems stuck in mid-scale.
      </p>
    </section>
  );
}
