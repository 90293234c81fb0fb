import { useMutation } from "@tanstack/react-query";
import { Form } from "antd";
import { useState } from "react";
import { api, problemOf, take, type ToCalibrate, type Trial } from "../../api/client";
import { useChange } from "../../api/queries";
import { HourProfile } from "../../drawings/HourProfile";
import { SeriesPlot } from "../../drawings/SeriesPlot";
import { ChoiceField, NumberField } from "../../frame/Field";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";
import { JobLine } from "./BenchView";
import { Retention } from "./Retention";

const PERIODS = [{ value: 1, label: "the last day" }, { value: 3, label: "the last 3 days" }, { value: 7, label: "the last week" }, { value: 14, label: "the last 2 weeks" }];

/** Two sensors side by side: what they differ by, when, a verdict in words, and the correction that would mend it. */
export default function TrialPart({ watch, mayChange, rows }: StageProps & { rows: ToCalibrate[] }) {
  const channels = rows.filter((r) => r.target === "channel");
  const pairs = channels.filter((r) => channels.some((o) => o.id !== r.id && o.quantity === r.quantity));
  const air = pairs.find((r) => r.quantity === "air_temp") ?? pairs[0];
  const [a, setA] = useState<number | null>(air?.id ?? null);
  const [b, setB] = useState<number | null>(null);
  const [days, setDays] = useState(7);
  const [tolerance, setTolerance] = useState<number | null>(null);
  const first = channels.find((r) => r.id === a);
  const second = channels.find((r) => r.id === b && r.quantity === first?.quantity) ?? channels.find((r) => r.quantity === first?.quantity && r.id !== a);
  const path = { params: { path: { site_id: watch.site } } };
  const form = () => ({ a: first?.id ?? 0, b: second?.id ?? 0, start: new Date(Date.parse(watch.now) - days * 86_400_000).toISOString(), end: watch.now, step_s: days > 3 ? 1200 : 600, ...(tolerance ? { tolerance } : {}) });
  const run = useMutation({ mutationFn: () => take(api.POST("/api/sites/{site_id}/trials/", { ...path, body: form() })) });
  const option = (r: ToCalibrate) => ({ value: r.id, label: `${r.name}, ${r.group} (${r.quantity_name})` });
  return (
    <>
      <h1>Side by side</h1>
      <p className="lead">{pairs.length === 0 ? "Two sensors of one kind are needed: a trusted one beside the one in doubt." : "Put a sensor you trust beside the one in doubt for some days, then compare them here."}</p>
      <Form layout="vertical" component="div" className="form-grid trial-form">
        <ChoiceField label="The one in doubt" value={a} options={pairs.map(option)} onChange={(v) => { setA(v); run.reset(); }} />
        <ChoiceField label="Against the trusted one" value={second?.id ?? null} options={pairs.filter((r) => r.quantity === first?.quantity && r.id !== a).map(option)} onChange={(v) => { setB(v); run.reset(); }} />
        <ChoiceField label="Over" value={days} options={PERIODS} onChange={(v) => { setDays(v); run.reset(); }} />
        <NumberField label="A difference that does not matter" unit={first?.unit ?? ""} value={tolerance} extra="empty: the usual one of this quantity" onChange={setTolerance} />
      </Form>
      <button type="button" className="button primary" disabled={!first || !second || run.isPending} onClick={() => run.mutate()}>Compare them</button>
      {run.isError && <p role="alert" className="error">{problemOf(run.error)}</p>}
      {run.data && first && second && <Result trial={run.data} first={first} second={second} zone={watch.time_zone} start={form().start} mayChange={mayChange} site={watch.site} body={form()} />}
      <Retention rows={rows} site={watch.site} now={watch.now} mayChange={mayChange} />
    </>
  );
}

interface ResultProps {
  trial: Trial;
  first: ToCalibrate;
  second: ToCalibrate;
  zone: string;
  start: string;
  mayChange: boolean;
  site: number;
  body: { a: number; b: number; start: string; end: string; step_s: number; tolerance?: number };
}

function Result({ trial, first, second, zone, start, mayChange, site, body }: ResultProps) {
  const c = trial.result;
  const unit = trial.unit || "points";
  const scale = trial.unit ? 1 : 100;
  const number = (text: string) => Number(/version (\d+)/.exec(text)?.[1] ?? 0) + 1;
  const adopt = useChange(
    (with_slope: boolean) => take(api.POST("/api/sites/{site_id}/trials/adopt/", { params: { path: { site_id: site } }, body: { ...body, with_slope, number: number(first.state) } })),
    "calibrate", "bench", "watch", "ribbon",
  );
  const f = (value: number, digits = 2) => `${fixed(value * scale, digits)} ${unit}`;
  return (
    <section aria-label="What the trial shows">
      <p className="verdict">{trial.verdict}</p>
      <SeriesPlot start={start} stepMin={trial.step_s / 60} zone={zone} unit={unit} scale={scale} series={[{ name: `${first.name}, ${first.group}`, values: trial.a, tone: "clay" }, { name: `${second.name}, ${second.group}`, values: trial.b, tone: "water" }]} />
      <HourProfile byHour={c.by_hour.map((v) => (v === null ? null : v * scale))} sun={trial.sun} tolerance={c.tolerance * scale} unit={trial.unit} />
      <div className="trial-numbers">
        <dl className="facts-list">
          <div><dt>Bias</dt><dd>{f(c.bias)}</dd></div><div><dt>Spread (sd)</dt><dd>{f(c.sd)}</dd></div><div><dt>RMSE</dt><dd>{f(c.rmse)}</dd></div><div><dt>Mean absolute</dt><dd>{f(c.mae)}</dd></div>
          <div><dt>95 % of differences</dt><dd>{fixed((c.limits[0] ?? 0) * scale, 2)} to {f(c.limits[1] ?? 0)}</dd></div>
          <div><dt>Within {f(c.tolerance, 1)}</dt><dd>{fixed(c.within * 100, 0)} %</dd></div>
          <div><dt>Steps both have</dt><dd>{c.n}; first alone {c.a_alone}, second alone {c.b_alone}</dd></div>
          <div><dt>Means, common steps</dt><dd>{f(c.a_mean)} and {f(c.b_mean)}</dd></div><div><dt>Means, each one's own</dt><dd>{f(c.a_all)} and {f(c.b_all)}</dd></div>
        </dl>
        <Histogram edges={c.edges.map((e) => e * scale)} shares={c.shares} unit={unit} />
      </div>
      {mayChange && (
        <div className="actions">
          <button type="button" className="button" disabled={adopt.isPending || adopt.isSuccess} onClick={() => adopt.mutate(false)}>Adopt the offset, {f(trial.offset.coefficients[0] ?? 0)} (leaves {f(trial.offset_rmse)})</button>
          {trial.slope && trial.slope_rmse !== null && <button type="button" className="button" disabled={adopt.isPending || adopt.isSuccess} onClick={() => adopt.mutate(true)}>Adopt offset and slope {fixed(trial.slope.coefficients[1], 3)} (leaves {f(trial.slope_rmse ?? 0)})</button>}
        </div>
      )}
      {adopt.isError && <p role="alert" className="error">{problemOf(adopt.error)}</p>}
      {adopt.data && <p role="status">Version {adopt.data.version.number} of {first.name} is in force from now. {adopt.data.job !== null && <JobLine job={adopt.data.job} />}</p>}
    </section>
  );
}

function Histogram({ edges, shares, unit }: { edges: number[]; shares: number[]; unit: string }) {
  const most = Math.max(...shares, 0.01);
  return (
    <figure className="histogram">
      <svg viewBox="0 0 320 130" role="img" aria-label={`Share of differences between ${fixed(edges[0], 1)} and ${fixed(edges.at(-1), 1)} ${unit}`}>
        {shares.map((s, i) => <rect key={edges[i]} x={10 + i * 20} y={100 - (s / most) * 88} width="18" height={(s / most) * 88} fill="#1F6F8B" />)}
        <path d="M8 100 H312" stroke="#55625B" />
        <text x="10" y="118" className="axis">{fixed(edges[0], 1)}</text><text x="160" y="118" textAnchor="middle" className="axis">0</text><text x="310" y="118" textAnchor="end" className="axis">{fixed(edges.at(-1), 1)} {unit}</text>
      </svg>
      <figcaption className="quiet">Share of steps by difference; the tallest bar is {fixed(most * 100, 0)} %.</figcaption>
    </figure>
  );
}
