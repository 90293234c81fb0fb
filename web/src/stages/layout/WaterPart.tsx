import { useState } from "react";
import { problemOf, type Layout, type PumpLine, type TankLine } from "../../api/client";
import { usePlumbing } from "../../api/queries";
import { ChainDrawing } from "../../drawings/ChainDrawing";
import { TankDrawing } from "../../drawings/TankDrawing";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { fixed, seconds, withUnit } from "../../units/format";
import { PumpEditor, SourceEditor, TankEditor } from "./WaterEditors";

type Editing = { kind: "source" | "tank" | "pump"; id: number | null } | null;

/** So many pumps are told of at the head of the page; the others stand with their drawing. */
const LED_BY = 3;

/** The water's way from its source to the drain, drawn as a chain, with what follows from it. */
export default function WaterPart({ watch, mayChange, layout }: StageProps & { layout: Layout }) {
  const way = usePlumbing(watch.site);
  const [editing, setEditing] = useState<Editing>(null);
  if (!way.data) return way.isError ? <p role="alert" className="error">{problemOf(way.error)}</p> : <p className="quiet">Following the pipes…</p>;
  const w = way.data;
  const pumps = w.chain.flatMap((t) => t.pumps);
  const problems = pumps.flatMap((p) => [...p.problems, ...p.beds.flatMap((b) => b.problems)]);
  return (
    <>
      <h1>The water’s way</h1>
      {pumps.length === 0 && <p className="lead">Describe source, tank and pump; what they can do together is worked out.</p>}
      {pumps.slice(0, LED_BY).map((p) => <p key={p.id} className="lead">{p.sentence}</p>)}
      {pumps.length > LED_BY && <p className="quiet">And {pumps.length - LED_BY} more pumps, each with its round below.</p>}
      {problems.map((p) => <p key={p} role="alert" className="error">{p}</p>)}
      {mayChange && (
        <div className="actions">
          <button type="button" className={`button ${w.sources.length === 0 ? "primary" : ""}`} onClick={() => setEditing({ kind: "source", id: null })}>Add a water source</button>
          <button type="button" className="button" onClick={() => setEditing({ kind: "tank", id: null })}>Add a tank</button>
          {w.tanks.length > 0 && <button type="button" className="button" onClick={() => setEditing({ kind: "pump", id: null })}>Add a pump</button>}
        </div>
      )}
      {w.sources.length > 0 && (
        <p>
          {w.sources.map((s) => (
            <span key={s.id} className="source-line">
              <b>{s.form.name}</b>, {s.form.kind}: {s.form.ec_ms_cm != null ? `${withUnit(s.form.ec_ms_cm, "mS/cm", 2)}` : "not analysed"}{s.form.ph != null ? `, pH ${fixed(s.form.ph, 1)}` : ""}
              {s.form.bicarbonate_mmol_l != null ? `, ${fixed(s.form.bicarbonate_mmol_l, 1)} mmol/L bicarbonate` : ""}{s.form.sampled_on ? `, sampled ${s.form.sampled_on}` : ""}{" "}
              {mayChange && <button type="button" className="quiet-button" aria-label={`Change ${s.form.name}`} onClick={() => setEditing({ kind: "source", id: s.id })}>change</button>}
            </span>
          ))}
        </p>
      )}
      {w.chain.map((t) => (
        <section key={t.id} className="chain" aria-label={`${t.name} and its pumps`}>
          <TankNode tank={t} form={w.tanks.find((x) => x.id === t.id)?.form} mayChange={mayChange} onEdit={() => setEditing({ kind: "tank", id: t.id })} />
          <div className="chain-pumps">
            {t.pumps.map((p) => <PumpNode key={p.id} pump={p} tank={t.name} source={w.sources.find((s) => s.id === w.tanks.find((x) => x.id === t.id)?.form.source)?.form.name ?? ""} injector={w.pumps.find((x) => x.id === p.id)?.form.injector_ratio_pct ?? null} layout={layout} mayChange={mayChange} onEdit={() => setEditing({ kind: "pump", id: p.id })} />)}
            {t.pumps.length === 0 && <p className="quiet">No pump draws from {t.name} yet.</p>}
          </div>
        </section>
      ))}
      <p className="quiet">Backflow protection before an injector, and what may be discharged with the drain, are matters of your local water rules. Pressure off before you open a pipe.</p>
      {editing?.kind === "source" && <SourceEditor site={watch.site} row={w.sources.find((s) => s.id === editing.id) ?? null} onClose={() => setEditing(null)} />}
      {editing?.kind === "tank" && <TankEditor site={watch.site} row={w.tanks.find((s) => s.id === editing.id) ?? null} sources={w.sources} onClose={() => setEditing(null)} />}
      {editing?.kind === "pump" && <PumpEditor site={watch.site} row={w.pumps.find((s) => s.id === editing.id) ?? null} tanks={w.tanks} layout={layout} onClose={() => setEditing(null)} />}
    </>
  );
}

function TankNode({ tank: t, form, mayChange, onEdit }: { tank: TankLine; form: { empty_l: number; warn_l: number; overfill_l?: number | null } | undefined; mayChange: boolean; onEdit: () => void }) {
  const litres = { empty: form?.empty_l ?? 0, warn: form?.warn_l ?? 0, overfill: form?.overfill_l ?? t.full_l };
  return (
    <div className="chain-tank">
      <h2>{t.name}</h2>
      <TankDrawing tank={{ shape: t.shape, depth_cm: t.depth_cm, full_l: t.full_l, levels_cm: t.levels_cm, litres, content_l: t.content_l }} label={t.name} />
      <p>
        {t.content_l === null ? "Not measured." : `${fixed(t.content_l, 0)} of ${fixed(t.full_l, 0)} L now.`} Peak day {fixed(t.day_l, 0)} L; it lasts <Fig figure={t.days_peak} label="days the tank lasts at peak use" /> then{t.days_now.value !== null && <>, <Fig figure={t.days_now} label="days the tank lasts at present use" /> at present use</>}.
        {!t.shape && <span className="quiet block">Give its shape, and its levels are drawn at scale.</span>}
      </p>
      {mayChange && <button type="button" className="quiet-button" aria-label={`Change ${t.name}`} onClick={onEdit}>change</button>}
    </div>
  );
}

function PumpNode({ pump: p, tank, source, injector, layout, mayChange, onEdit }: { pump: PumpLine; tank: string; source: string; injector: number | null; layout: Layout; mayChange: boolean; onEdit: () => void }) {
  const returned = (house: string) => layout.houses.find((h) => h.form.name === house)?.form.drain_returned;
  const drains = [...new Set(p.beds.map((b) => (returned(b.house) ? "returned" : "to waste")))].join(" and ");
  const total = p.heads.reduce((sum, h) => sum + h.head_m, 0);
  return (
    <div className="chain-pump">
      <div className="section-head">
        <h3>{p.name}</h3>
        <span><Fig figure={p.flow} label={`flow of ${p.name}`} /> at its beds</span>
        {injector !== null && <span className="quiet">injector at {fixed(injector, 2)} %</span>}
        {mayChange && <button type="button" className="quiet-button" aria-label={`Change ${p.name}`} onClick={onEdit}>change</button>}
      </div>
      <ChainDrawing source={source} tank={tank} pump={p} injector={injector} drain={drains} />
      {p.heads.length > 0 && (
        <p className="head-steps" aria-label="Head from tank to dripper">
          {p.heads.filter((h) => h.head_m > 0.005).map((h) => <span key={h.name} style={{ flexGrow: Math.max(0.6, h.head_m) }}><b>{fixed(h.head_m, 1)} m</b> {h.name}</span>)}
          <span className="sum"><b>{fixed(total, 1)} m</b> in all</span>
        </p>
      )}
      <RoundDrawing pump={p} />
      <table className="plain-table chain-beds">
        <caption className="visually-hidden">Beds on {p.name}</caption>
        <thead><tr><th scope="col">Bed</th><th scope="col">Flow</th><th scope="col">One pulse</th><th scope="col">Along the line</th><th scope="col">Line fill</th><th scope="col">Peak day</th><th scope="col">Drain</th></tr></thead>
        <tbody>
          {p.beds.map((b) => (
            <tr key={b.id}>
              <th scope="row">{b.name}</th>
              <td><Fig figure={b.flow} label={`flow of bed ${b.name}`} /></td>
              <td title={b.dose_source}>{fixed(b.dose_ml, 0)} mL, {seconds(b.pulse_s)}</td>
              <td>{b.lateral_loss.value === null ? <span className="quiet">not described</span> : <><Fig figure={b.lateral_loss} label={`head lost along a line of bed ${b.name}`} />, {fixed(b.spread_pct, 1)} % less at its end</>}</td>
              <td>{b.fill.value === null ? `${fixed(b.fill_used_s, 0)} s, entered` : <Fig figure={b.fill} label={`line fill of bed ${b.name}`} />}</td>
              <td><Fig figure={b.peak_day} label={`peak day of bed ${b.name}`} /></td>
              <td>{returned(b.house) ? "returned" : "to waste"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** One round of the pump: groups one after the other, beds of a group side by side, as long as they run. */
function RoundDrawing({ pump: p }: { pump: PumpLine }) {
  if (p.sequence.length === 0) return null;
  const scale = 600 / p.sequence_s;
  const rows = Math.max(...p.sequence.map((g) => g.beds.length));
  const starts = p.sequence.map((_, i) => p.sequence.slice(0, i).reduce((sum, g) => sum + g.seconds, 0));
  return (
    <svg viewBox={`0 0 640 ${rows * 24 + 24}`} className="round-drawing" role="img"
      aria-label={`One round: ${p.sequence.map((g) => `${g.beds.join(" and ")} together, ${fixed(g.flow_l_min, 1)} L/min, ${seconds(g.seconds)}`).join("; then ")}`}>
      {p.sequence.map((g, i) => g.beds.map((name, row) => {
        const bed = p.beds.find((b) => b.name === name);
        const x = 4 + (starts[i] ?? 0) * scale;
        return (
          <g key={name}>
            <rect x={x + 1} y={row * 24 + 2} width={Math.max(14, (bed?.pulse_s ?? 0) * scale - 3)} height="19" fill="#1F6F8B" opacity="0.85" rx="2" />
            <text x={x + 7} y={row * 24 + 16} className="on-water">bed {name}</text>
          </g>
        );
      }))}
      <path d={`M4 ${rows * 24 + 4} H604`} stroke="#55625B" />
      <text x="4" y={rows * 24 + 18} className="axis">0</text>
      <text x="604" y={rows * 24 + 18} textAnchor="end" className="axis">{seconds(p.sequence_s)}</text>
    </svg>
  );
}
