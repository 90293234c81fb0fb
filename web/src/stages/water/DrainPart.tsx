import { useState } from "react";
import { api, problemOf, take, type ProgrammeOut } from "../../api/client";
import { useChange } from "../../api/queries";
import { fixed, percent } from "../../units/format";

const dayOf = (iso: string) => new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });

/** What measured drain has made of dose or gap, and a day's drain entered by hand. */
export function DrainPart({ bed, programme, today, mayChange }: { bed: number; programme: ProgrammeOut; today: string; mayChange: boolean }) {
  const aim = programme.published?.body.drain ?? null;
  const yesterday = new Date(Date.parse(today) - 86_400_000).toISOString().slice(0, 10);
  const [day, setDay] = useState(yesterday);
  const [ml, setMl] = useState("");
  const enter = useChange(() => take(api.POST("/api/beds/{bed_id}/drain/", { params: { path: { bed_id: bed } }, body: { day, drain_ml: Number(ml.replace(",", ".")) } })), "programme");
  if (!aim) return null;
  const moved = aim.moves === "gap" ? programme.gap_factor : programme.dose_factor;
  return (
    <section className="drain-part" aria-label="Drain feedback">
      <p>
        <b>Drain feedback:</b> the {aim.moves === "gap" ? "gap" : "dose"} stands at {fixed(moved, 2)} times the sentence{aim.frozen ? ", frozen" : ""}.{" "}
        {programme.drains.length === 0 ? "No day has been measured yet: the gauge is read after midnight, or enter a day by hand." : programme.drains.map((d) => `${dayOf(d.day)}: ${percent(d.share, 0)} of ${percent(d.wanted, 0)} wanted (${d.source}), ${fixed(d.before, 2)} → ${fixed(d.after, 2)}`).join("; ")}
      </p>
      {mayChange && !aim.frozen && (
        <p>
          On <input type="date" className="hand-date" aria-label="Day of the drain" value={day} onChange={(e) => setDay(e.target.value)} /> I caught{" "}
          <input className="hand-number" aria-label="Drain in mL per plant" inputMode="decimal" value={ml} onChange={(e) => setMl(e.target.value)} /> mL per plant{" "}
          <button type="button" className="button" disabled={!ml.trim() || enter.isPending} onClick={() => enter.mutate(undefined, { onSuccess: () => setMl("") })}>Enter it</button>
        </p>
      )}
      {enter.isError && <p role="alert" className="error">{problemOf(enter.error)}</p>}
    </section>
  );
}
