import { Modal } from "antd";
import { useState } from "react";
import { api, problemOf, take, type BedNow, type ProgrammeOut, type Watch } from "../../api/client";
import { useChange } from "../../api/queries";
import { clock, fixed, seconds } from "../../units/format";

type Order = { text: string; ok: string; run: () => Promise<unknown> };

/** By hand: a dose, a pause, manual, a lock for work. Each with its end and a name. */
export function HandPart({ watch, bed, programme, mayChange }: { watch: Watch; bed: BedNow; programme: ProgrammeOut; mayChange: boolean }) {
  const [dose, setDose] = useState<number>(Math.round(programme.dose_ml));
  const [hours, setHours] = useState(2);
  const [work, setWork] = useState("");
  const [asking, setAsking] = useState<Order | null>(null);
  const order = useChange((o: Order) => o.run(), "programme", "watch", "slip", "ribbon");
  const path = { params: { path: { bed_id: bed.id } } };
  const fill = programme.seconds.inputs?.line_fill_s ?? 0;
  const takes = programme.dose_ml > 0 ? (((programme.seconds.value ?? 0) - fill) * dose) / programme.dose_ml + fill : 0;
  const state = programme.locked_by ? `${programme.locked_by} has locked it: ${programme.locked_for}. Only they, or an owner, take the lock off.`
    : programme.stopped ? "It is stopped; nothing opens until someone resumes it."
    : programme.manual ? "Its valve stands on manual: the programme moves nothing, a person may."
    : programme.paused_until ? `It is paused until ${clock(programme.paused_until, watch.time_zone)}.`
    : "Its programme acts.";
  if (!programme.controllable) return <><h1>Bed {bed.name}, by hand</h1><p className="lead">This bed has no valve yet. Fit one first.</p></>;
  return (
    <>
      <h1>Bed {bed.name}, by hand</h1>
      <p className="lead" role="status">{state}</p>
      <p className="quiet">Its valve has opened {programme.valve_starts} times, {fixed(programme.valve_hours, 1)} h in all, as its node confirmed.</p>
      {!mayChange && <p className="quiet">Your role may look, not order.</p>}
      {mayChange && (
        <div className="hand">
          <section aria-label="One dose">
            <h2>One dose, now</h2>
            <p><input className="hand-number" aria-label="Dose in mL per plant" inputMode="numeric" value={dose} onChange={(e) => setDose(Number(e.target.value.replace(/\D/g, "")))} /> mL per plant: valve and pump run for {seconds(takes)} and close by themselves.</p>
            <button type="button" className="button primary" onClick={() => setAsking({ ok: "Give it", text: `${fixed(dose, 0)} mL per plant for ${seconds(takes)}, then valve and pump close by themselves; Stop ends it sooner. Tank, pump and daily cap still hold it back.`, run: () => take(api.POST("/api/beds/{bed_id}/dose/", { ...path, body: { dose_ml: dose } })) })}>Give {fixed(dose, 0)} mL</button>
          </section>
          <section aria-label="Pause">
            <h2>Pause</h2>
            {programme.paused_until ? (
              <button type="button" className="button" onClick={() => order.mutate({ ok: "", text: "", run: () => api.POST("/api/beds/{bed_id}/pause/", { ...path, body: { minutes: 0 } }) })}>End the pause</button>
            ) : (
              <>
                <p>for <input className="hand-number" aria-label="Hours of the pause" inputMode="decimal" value={hours} onChange={(e) => setHours(Number(e.target.value.replace(",", ".")) || 0)} /> hours; then it goes on by itself.</p>
                <button type="button" className="button" onClick={() => setAsking({ ok: "Pause it", text: `Nothing is given for ${fixed(hours, 1)} hours, then its programme acts again by itself.`, run: () => api.POST("/api/beds/{bed_id}/pause/", { ...path, body: { minutes: Math.round(hours * 60) } }) })}>Pause it</button>
              </>
            )}
          </section>
          <section aria-label="Manual or automatic">
            <h2>{programme.manual ? "Manual" : "Automatic"}</h2>
            <p>{programme.manual ? "Until someone puts it back on automatic." : "On manual the programme moves nothing; doses by hand still work."}</p>
            <button type="button" className="button" onClick={() => order.mutate({ ok: "", text: "", run: () => api.POST("/api/beds/{bed_id}/manual/", { ...path, body: { manual: !programme.manual } }) })}>Put it on {programme.manual ? "automatic" : "manual"}</button>
          </section>
          <section aria-label="Lock for work">
            <h2>Lock for work</h2>
            {programme.locked_by ? (
              <button type="button" className="button" onClick={() => order.mutate({ ok: "", text: "", run: () => api.POST("/api/beds/{bed_id}/unlock/", path) })}>Take the lock off</button>
            ) : (
              <>
                <p>I am going to <input className="hand-text" aria-label="What you are going to do" placeholder="clean the drippers" value={work} onChange={(e) => setWork(e.target.value)} />. Nothing opens, whoever orders it. Pressure off, and lock the mains switch by hand too, before you open a line.</p>
                <button type="button" className="button" disabled={!work.trim()} onClick={() => setAsking({ ok: "Lock it", text: `Its valve closes now and stays closed with your name on it (“${work.trim()}”), until you take the lock off.`, run: () => api.POST("/api/beds/{bed_id}/lock/", { ...path, body: { what_for: work } }) })}>Lock it in my name</button>
              </>
            )}
          </section>
        </div>
      )}
      {order.isError && <p role="alert" className="error">{problemOf(order.error)}</p>}
      <Modal open={asking !== null} title={`Bed ${bed.name}`} okText={asking?.ok} cancelText="Leave it" confirmLoading={order.isPending} onCancel={() => setAsking(null)} onOk={() => asking && order.mutate(asking, { onSettled: () => setAsking(null) })}>
        <p>{asking?.text}</p>
      </Modal>
    </>
  );
}
