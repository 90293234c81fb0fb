import { useState } from "react";
import { api, problemOf, take, type ToCalibrate, type TrustOut } from "../../api/client";
import { useChange, useRecord, useTrust } from "../../api/queries";
import { SeriesPlot } from "../../drawings/SeriesPlot";
import type { StageProps } from "../../frame/Frame";
import { age, clock, dayName, fixed } from "../../units/format";
import { JobLine } from "./BenchView";
import { TrustMark } from "./TargetList";

const RANK: Record<string, number> = { not_to_be_used: 0, doubtful: 1, trusted: 2 };

/** Which sensors can be trusted, and for one of them: its record with flags, what was found, and why. */
export default function TrustPart({ watch, bed, mayChange, rows }: StageProps & { rows: ToCalibrate[] }) {
  const channels = rows.filter((r) => r.target === "channel" && (!bed || r.bed === bed.id)).sort((a, b) => (RANK[a.trust] ?? 2) - (RANK[b.trust] ?? 2));
  const [picked, setPicked] = useState<number | null>(null);
  const chosen = channels.find((c) => c.id === picked) ?? channels[0];
  const check = useChange(() => take(api.POST("/api/sites/{site_id}/check/", { params: { path: { site_id: watch.site } } })), "calibrate", "trust", "record");
  const doubted = channels.filter((c) => c.trust !== "trusted");
  return (
    <>
      <h1>Can I trust it{bed ? `, bed ${bed.name}` : ""}</h1>
      <p className="lead">{doubted.length === 0 ? "Nothing in the record of these sensors speaks against them." : `${doubted.length === 1 ? "One sensor is" : `${doubted.length} sensors are`} doubted: ${doubted.slice(0, 3).map((d) => `${d.name} (${d.trust === "doubtful" ? "doubtful" : "not to be used"})`).join(", ")}.`}</p>
      {mayChange && <button type="button" className="button" disabled={check.isPending} onClick={() => check.mutate(undefined)}>Judge every sensor now</button>}
      {check.data && <JobLine job={check.data.job} />}
      <div className="trust">
        <ul className="trust-list">
          {channels.map((c) => (
            <li key={c.id}>
              <button type="button" aria-current={c.id === chosen?.id ? "true" : undefined} onClick={() => setPicked(c.id)}>
                <span>{c.name}{c.quantity === "raw" ? ", raw count" : ""}</span> <TrustMark trust={c.trust} words={c.trust_words} />
              </button>
            </li>
          ))}
        </ul>
        {chosen && <ChannelTrust key={chosen.id} watch={watch} channel={chosen} mayChange={mayChange} />}
      </div>
    </>
  );
}

function ChannelTrust({ watch, channel, mayChange }: { watch: StageProps["watch"]; channel: ToCalibrate; mayChange: boolean }) {
  const [days, setDays] = useState(1);
  const [hide, setHide] = useState(false);
  const trust = useTrust(channel.id);
  const record = useRecord(channel.id, days, hide);
  const judge = useChange(() => take(api.POST("/api/channels/{channel_id}/judge/", { params: { path: { channel_id: channel.id } } })), "trust", "calibrate", "record");
  if (trust.isError) return <p role="alert" className="error">{problemOf(trust.error)}</p>;
  const t = trust.data;
  const r = record.data;
  if (!t) return <p className="quiet">Looking it through…</p>;
  const water = r?.unit === "% v/v";
  const useValue = r ? r.value.some((v) => v !== null) : false;
  return (
    <section aria-label={`Trust in ${channel.name}`}>
      <h2>{channel.name} <TrustMark trust={t.trust} words={t.words} /></h2>
      <p>{t.words} <span className="quiet">{t.judged_at ? `Judged ${age(t.judged_at, watch.now)}` : "Not judged yet: the first time is at three in the night"}.</span></p>
      {r && (
        <>
          <SeriesPlot start={r.start} stepMin={r.step_min} zone={watch.time_zone} unit={useValue ? r.unit || channel.unit : channel.unit} scale={useValue && water ? 100 : 1}
            series={[{ name: useValue ? (water ? "water content, % v/v" : `${channel.quantity_name}, ${channel.unit}`) : `${channel.quantity_name}, ${channel.unit}`, values: useValue ? r.value : r.raw, tone: "water" }]}
            marks={r.versions.map((v) => ({ at: v.at, label: `v${v.number}${v.step === null ? "" : `, ${fixed(v.step * (water ? 100 : 1), 1)}`}` }))}
            stretches={hide ? [] : r.flags.map((f) => ({ start: f.start, end: f.end, label: f.words }))} />
          <div className="record-choice">
            {[1, 3, 7, 14].map((d) => <button key={d} type="button" className="quiet-button" aria-pressed={d === days} onClick={() => setDays(d)}>{d === 1 ? "a day" : `${d} days`}</button>)}
            <label><input type="checkbox" checked={hide} onChange={(e) => setHide(e.target.checked)} /> leave flagged readings out</label>
            {water && r.suction_kpa.length > 0 && <span className="quiet">as suction now {fixed(r.suction_kpa.filter((v) => v !== null).at(-1), 1)} kPa, by the medium&apos;s retention curve</span>}
            {r.theta_by_retention.length > 0 && <span className="quiet">as water content now {fixed((r.theta_by_retention.filter((v) => v !== null).at(-1) ?? 0) * 100, 1)} % v/v, by the medium&apos;s retention curve</span>}
          </div>
        </>
      )}
      {t.findings.length > 0 && <><h3>What does not make sense</h3><ul>{t.findings.map((f) => <li key={String(f.sign)}>{String(f.words)}</li>)}</ul></>}
      <GainLine trust={t} />
      {t.flags.length > 0 && (
        <details>
          <summary>{t.flags.length} stretches flagged in the last week</summary>
          <ul>{t.flags.map((f) => <li key={`${f.flag}${f.start}`}>{dayName(f.start, watch.time_zone)} {clock(f.start, watch.time_zone)} to {clock(f.end, watch.time_zone)}: {f.readings === 1 ? "one reading" : `${f.readings} readings`}, {f.words}{f.keeps_from_control ? "; not used for watering" : ""}</li>)}</ul>
        </details>
      )}
      {mayChange && (
        <>
          <button type="button" className="button" disabled={judge.isPending} onClick={() => judge.mutate(undefined)}>Judge it now</button>
          <Limits trust={t} channel={channel.id} unit={channel.unit} />
          <Override trust={t} channel={channel.id} />
        </>
      )}
    </section>
  );
}

function GainLine({ trust: t }: { trust: TrustOut }) {
  if (t.gain.median == null) return null;
  return (
    <>
      <p>Pulses raise it {fixed(t.gain.median, 2)} times as much as their water should{t.gain.low != null && t.gain.high != null ? `, ${fixed(t.gain.low, 2)} to ${fixed(t.gain.high, 2)} with 95 % certainty` : ""}, over {fixed(t.gain.n, 0)} pulses of the last day. 1 is right; one place of a container may well show 0.6 to 1.5.</p>
      {t.causes.length > 0 && (
        <ol className="causes" aria-label="Likely causes">
          {t.causes.map((c) => <li key={String(c.cause)}><b>{fixed(Number(c.weight) * 100, 0)} % {CAUSES[String(c.cause)]}</b>: {String(c.because)}. <span className="quiet">To settle it: {String(c.test)}.</span></li>)}
        </ol>
      )}
    </>
  );
}

const CAUSES: Record<string, string> = {
  span: "the calibration's span", placement: "where the probe stands", dripper: "its dripper", flow: "too little flow", leak: "a leak", volume: "the described volume",
};

const LIMITS: { name: string; label: string }[] = [
  { name: "low", label: "lowest it can read" }, { name: "high", label: "highest it can read" }, { name: "step", label: "largest jump between readings" }, { name: "spike", label: "a spike stands off by" },
  { name: "flat_s", label: "unchanged for, s" }, { name: "gap_s", label: "a gap is longer than, s" }, { name: "late_s", label: "late after, s" }, { name: "air", label: "its value in air" },
];

function Limits({ trust: t, channel, unit }: { trust: TrustOut; channel: number; unit: string }) {
  const [typed, setTyped] = useState<Record<string, string>>({});
  const save = useChange(() => {
    const limits = Object.fromEntries(Object.entries(typed).map(([k, v]) => [k, v.trim() === "" ? null : Number(v.replace(",", "."))]));
    return take(api.PUT("/api/channels/{channel_id}/flag-limits/", { params: { path: { channel_id: channel } }, body: { limits } }));
  }, "trust", "record", "calibrate");
  return (
    <details>
      <summary>Limits of the flags{t.changed.length ? `, ${t.changed.length} changed by hand` : ""}</summary>
      {LIMITS.map((l) => (
        <label key={l.name} className="asked">{l.label} <input className="inline-number" inputMode="decimal" aria-label={l.label} value={typed[l.name] ?? (t.limits[l.name] == null ? "" : String(t.limits[l.name]))} onChange={(e) => setTyped({ ...typed, [l.name]: e.target.value })} /> {l.name.endsWith("_s") ? "" : unit}</label>
      ))}
      <span className="quiet block">Empty switches a rule off. Flags found before stay readable.</span>
      <button type="button" className="button" disabled={save.isPending || Object.keys(typed).length === 0} onClick={() => save.mutate(undefined, { onSuccess: () => setTyped({}) })}>Keep, and judge by them</button>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
    </details>
  );
}

function Override({ trust: t, channel }: { trust: TrustOut; channel: number }) {
  const [why, setWhy] = useState("");
  const [word, setWord] = useState("not_to_be_used");
  const set = useChange((trust: string) => take(api.PUT("/api/channels/{channel_id}/trust/set/", { params: { path: { channel_id: channel } }, body: { trust, hours: 24, why } })), "trust", "calibrate", "watch");
  return (
    <details>
      <summary>{t.override_until ? "Set by hand: take it back" : "Say it yourself, for 24 hours"}</summary>
      <label className="asked">it is <select className="inline-select" aria-label="Your word" value={word} onChange={(e) => setWord(e.target.value)}><option value="not_to_be_used">not to be used</option><option value="doubtful">doubtful</option><option value="trusted">trusted</option></select></label>
      <label className="asked">because <input aria-label="Reason" value={why} maxLength={200} onChange={(e) => setWhy(e.target.value)} /></label>
      <div className="actions">
        <button type="button" className="button" disabled={set.isPending} onClick={() => set.mutate(word)}>Set it for 24 hours</button>
        {t.override_until && <button type="button" className="button" onClick={() => set.mutate("")}>Back to its own record</button>}
      </div>
      {set.isError && <p role="alert" className="error">{problemOf(set.error)}</p>}
    </details>
  );
}
