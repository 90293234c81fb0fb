import { useState } from "react";
import { ApiError, api, problemOf, take, type Schemas } from "../../api/client";
import { useChange, usePlan, useShared } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { counted } from "../../units/format";
import { nameOf, shownAt } from "./settings";
import type { Programme } from "../../api/client";

type Entry = Schemas["EntryFormRequest"];
const day = (iso: string) => new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });

/** Shared programmes with who follows them, and the calendar that says which acts when. */
export default function PlanPart(props: StageProps) {
  return (
    <>
      <Shared {...props} />
      <Calendar {...props} />
    </>
  );
}

function Shared({ watch, bed, mayChange }: StageProps) {
  const shared = useShared(watch.site);
  const [name, setName] = useState("");
  const publish = useChange(
    async (beds: number[]) => {
      const held = await take(api.GET("/api/beds/{bed_id}/programme/", { params: { path: { bed_id: bed?.id ?? 0 } } }));
      const body = (held.published ?? held.schools[0])?.body;
      if (!body) throw new Error("no programme");
      return take(api.POST("/api/sites/{site_id}/shared-programmes/publish/", { params: { path: { site_id: watch.site } }, body: { name, body, beds } }));
    },
    "shared", "programme", "watch",
  );
  const follow = useChange(
    ({ bed: id, to }: { bed: number; to: string }) => take(api.POST("/api/beds/{bed_id}/programme/follow/", { params: { path: { bed_id: id } }, body: { shared: to } })),
    "shared", "programme", "watch",
  );
  const free = watch.beds.filter((b) => !shared.data?.some((s) => s.followers.some((f) => f.bed === b.id)));
  return (
    <section aria-label="Shared programmes">
      <h1>Plan</h1>
      <p className="lead">{shared.data?.length ? "Programmes that several beds follow; each may differ in its own numbers, which are listed." : "No programme is shared yet. Choose a bed, give its programme a name, and let others follow it."}</p>
      {shared.data?.map((s) => (
        <div key={s.id} className="shared-programme">
          <h2>{s.name} <span className="quiet">number {s.number}, by {s.published_by}</span></h2>
          <ul>
            {s.followers.map((f) => (
              <li key={f.bed}>
                <b>Bed {f.name}</b>{f.behind ? " (an older number)" : ""}: {f.differences.length === 0 ? "as shared" : f.differences.map((d) => `${nameOf(s.body as Programme, d.path)} ${told(s.body as Programme, d.path, d.own)} instead of ${told(s.body as Programme, d.path, d.shared)}`).join("; ")}{" "}
                {mayChange && <button type="button" className="quiet-button" onClick={() => follow.mutate({ bed: f.bed, to: "" })}>go its own way</button>}
              </li>
            ))}
          </ul>
          {mayChange && free.length > 0 && (
            <label>Let another bed follow:{" "}
              <select className="inline-select" value="" onChange={(e) => e.target.value && follow.mutate({ bed: Number(e.target.value), to: s.name })}>
                <option value="">choose a bed</option>
                {free.map((b) => <option key={b.id} value={b.id}>bed {b.name}</option>)}
              </select>
            </label>
          )}
        </div>
      ))}
      {mayChange && bed && (
        <p>
          Share the programme of bed {bed.name} as <input className="hand-text" aria-label="Name of the shared programme" value={name} onChange={(e) => setName(e.target.value)} placeholder="summer, fruiting" />{" "}
          <button type="button" className="button" disabled={!name.trim() || publish.isPending} onClick={() => publish.mutate([bed.id])}>Share it</button>
        </p>
      )}
      {(publish.isError || follow.isError) && <p role="alert" className="error">{problemOf(publish.error ?? follow.error)}</p>}
    </section>
  );
}

function Calendar({ watch, mayChange }: StageProps) {
  const plan = usePlan(watch.site);
  const shared = useShared(watch.site);
  const [form, setForm] = useState<Entry | null>(null);
  const [told, setTold] = useState("");
  const add = useChange((body: Entry) => take(api.POST("/api/sites/{site_id}/plan/new/", { params: { path: { site_id: watch.site } }, body })), "plan", "programme", "watch");
  const end = useChange((id: number) => take(api.POST("/api/plan/{entry_id}/end/", { params: { path: { entry_id: id } } })), "plan", "programme", "watch");
  const bring = useChange(async (file: File) => {
    const text = await file.text();
    const path = { params: { path: { site_id: watch.site } } };
    const ics = text.includes("BEGIN:VCALENDAR");
    const taken = ics
      ? await take(api.POST("/api/sites/{site_id}/plan/calendar/", { ...path, body: text as never, bodySerializer: (b: unknown) => String(b), headers: { "Content-Type": "text/calendar" } }))
      : await take(api.POST("/api/sites/{site_id}/plan/import/", { ...path, body: JSON.parse(text) as never }));
    return (taken as { entries: number }).entries;
  }, "plan", "shared");
  if (!plan.data) return plan.isError ? <p role="alert" className="error">{problemOf(plan.error)}</p> : <p className="quiet">Opening the calendar…</p>;
  const p = plan.data;
  const at = (name: string) => (add.error instanceof ApiError ? add.error.at(name) : undefined);
  const set = (change: Partial<Entry>) => {
    add.reset();
    setForm((f) => (f ? { ...f, ...change } : f));
  };
  return (
    <section aria-label="Calendar">
      <h2>The calendar</h2>
      <p>{p.entries.length === 0 ? "Nothing is planned: each bed goes by its own programme, every day." : "Where nothing is planned, each bed goes by its own programme."}</p>
      {p.entries.length > 0 && <Bars entries={p.entries} today={p.today} />}
      <ul className="probe-list">
        {p.entries.map((e) => (
          <li key={e.id}>
            <div>
              <b>{e.title}</b>: {e.kind === "hold" ? "nothing is given" : e.programme}{e.now && <b className="tone-water"> today</b>}
              <span className="quiet block">{e.first_day === e.last_day ? day(e.first_day) : `${day(e.first_day)} to ${day(e.last_day)}`}; {e.bed ? `bed ${e.bed}` : e.house || "the whole holding"}{e.growth_stage && `, while ${e.growth_stage}`}: beds {counted(e.beds)}; {e.made_by}</span>
            </div>
            {mayChange && e.last_day >= p.today && <button type="button" className="button" aria-label={`${e.now ? "End it" : "Take it out"}: ${e.title}`} onClick={() => end.mutate(e.id)}>{e.now ? "End it" : "Take it out"}</button>}
          </li>
        ))}
      </ul>
      {mayChange && !form && (
        <div className="actions">
          <button type="button" className="button" disabled={!shared.data?.length} onClick={() => setForm({ kind: "programme", title: "", first_day: p.today, last_day: p.today, programme: shared.data?.[0]?.name ?? "" })}>Plan a programme</button>
          <button type="button" className="button" onClick={() => setForm({ kind: "hold", title: "", first_day: p.today, last_day: p.today, programme: "" })}>Plan a day without water</button>
          <a className="button" href={`/api/sites/${watch.site}/plan/calendar.ics`} download="plan.ics">Take it out as a calendar file</a>
          <a className="button" href={`/api/sites/${watch.site}/plan/export/`} download="plan.json">… as JSON</a>
          <label className="button">Bring one in<input type="file" className="visually-hidden" accept=".ics,.json" onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) bring.mutate(file, { onSuccess: (n) => setTold(`${n} lines came in.`) });
            e.target.value = "";
          }} /></label>
        </div>
      )}
      {form && (
        <div className="sentence">
          <p>
            {form.kind === "hold" ? "Nothing is given" : <>The programme <select className="pick" aria-label="Programme" value={form.programme ?? ""} onChange={(e) => set({ programme: e.target.value })}>{shared.data?.map((s) => <option key={s.id}>{s.name}</option>)}</select> acts</>}{" "}
            from <input type="date" aria-label="First day" className="hand-date" value={form.first_day} onChange={(e) => set({ first_day: e.target.value, last_day: e.target.value > form.last_day ? e.target.value : form.last_day })} /> to{" "}
            <input type="date" aria-label="Last day" className="hand-date" value={form.last_day} onChange={(e) => set({ last_day: e.target.value })} />, in{" "}
            <select className="pick" aria-label="Where" value={form.bed ? `b${form.bed}` : form.house ? `h${form.house}` : ""} onChange={(e) => set({ house: e.target.value.startsWith("h") ? Number(e.target.value.slice(1)) : null, bed: e.target.value.startsWith("b") ? Number(e.target.value.slice(1)) : null })}>
              <option value="">the whole holding</option>
              {watch.air.map((h) => <option key={h.house} value={`h${h.house}`}>{h.name}</option>)}
              {watch.beds.map((b) => <option key={b.id} value={`b${b.id}`}>bed {b.name}</option>)}
            </select>
            {p.stages && p.stages.length > 0 && <>, <select className="pick" aria-label="Growth stage" value={form.growth_stage ?? ""} onChange={(e) => set({ growth_stage: e.target.value })}><option value="">in any stage</option>{p.stages.map((s) => <option key={s} value={s}>while {s}</option>)}</select></>}
            , because of <input className="hand-text" aria-label="Title" value={form.title} placeholder={form.kind === "hold" ? "spraying day" : "summer"} onChange={(e) => set({ title: e.target.value })} />.
          </p>
          {add.isError && <ul className="error" role="alert">{(add.error instanceof ApiError ? add.error.errors : []).map((e) => <li key={e.message}>{e.message}</li>)}{!(add.error instanceof ApiError) && <li>{problemOf(add.error)}</li>}</ul>}
          {at("title") && <span className="visually-hidden">{at("title")}</span>}
          <div className="actions">
            <button type="button" className="button primary" disabled={add.isPending} onClick={() => add.mutate(form, { onSuccess: () => setForm(null) })}>Put it into the plan</button>
            <button type="button" className="button" onClick={() => setForm(null)}>Leave it</button>
          </div>
        </div>
      )}
      {told && <p role="status" className="done">{told}</p>}
      {(bring.isError || end.isError) && <p role="alert" className="error">{bring.error instanceof SyntaxError ? "That file is neither a calendar nor JSON." : problemOf(bring.error ?? end.error)}</p>}
    </section>
  );
}

const told = (body: Programme, path: string, value: string): string => (value.trim() === "" || Number.isNaN(Number(value)) ? value : shownAt(body, path, Number(value)));

/** The entries of a year about today as bars on one axis of months. */
function Bars({ entries, today }: { entries: Schemas["EntryOut"][]; today: string }) {
  const start = Date.parse(today) - 60 * 86_400_000;
  const span = 240 * 86_400_000;
  const x = (iso: string, plus = 0) => Math.max(0, Math.min(100, ((Date.parse(iso) + plus - start) / span) * 100));
  const months = Array.from({ length: 9 }, (_, i) => {
    const d = new Date(start);
    return new Date(Date.UTC(d.getUTCFullYear(), d.getUTCMonth() + i, 1));
  });
  return (
    <div className="year-bars" aria-hidden="true">
      {months.filter((m) => m.getTime() >= start && m.getTime() < start + span).map((m) => <span key={m.getTime()} className="year-month" style={{ left: `${((m.getTime() - start) / span) * 100}%` }}>{m.toLocaleDateString("en-GB", { month: "short", timeZone: "UTC" })}</span>)}
      <span className="year-today" style={{ left: `${x(today)}%` }} />
      {entries.map((e) => <span key={e.id} className={`year-bar ${e.kind}`}><i style={{ left: `${x(e.first_day)}%`, width: `${Math.max(0.6, x(e.last_day, 86_400_000) - x(e.first_day))}%` }} /></span>)}
    </div>
  );
}
