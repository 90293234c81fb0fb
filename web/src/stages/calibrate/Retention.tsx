import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type ToCalibrate } from "../../api/client";
import { ChoiceField, TextField } from "../../frame/Field";
import { colour } from "../../theme";
import { fixed } from "../../units/format";

/** A tensiometer and a probe in one bed give the medium's own retention curve. Shown only where there is such a pair. */
export function Retention({ rows, site, now, mayChange }: { rows: ToCalibrate[]; site: number; now: string; mayChange: boolean }) {
  const tensiometers = rows.filter((r) => r.quantity === "suction" && r.bed !== null);
  const [picked, setPicked] = useState<number | null>(null);
  const [name, setName] = useState("");
  const suction = tensiometers.find((r) => r.id === picked) ?? tensiometers[0];
  const probe = rows.find((r) => r.bed === suction?.bed && r.calibrated && (r.quantity === "raw" || r.quantity === "permittivity"));
  const run = useMutation({
    mutationFn: (keep: string) =>
      take(api.POST("/api/sites/{site_id}/retention/", {
        params: { path: { site_id: site } },
        body: { suction: suction?.id ?? 0, theta: probe?.id ?? 0, start: new Date(Date.parse(now) - 7 * 86_400_000).toISOString(), end: now, step_s: 1200, name: keep },
      })),
  });
  if (!suction) return null;
  const r = run.data;
  return (
    <section aria-label="Suction against water content">
      <h2>Suction against water content</h2>
      <p className="quiet">A week of a tensiometer beside a calibrated probe shows how this medium holds its water; capacity and usable water then rest on it.</p>
      {tensiometers.length > 1 && <ChoiceField label="Tensiometer" value={suction.id} options={tensiometers.map((t) => ({ value: t.id, label: `${t.name}, ${t.group}` }))} onChange={setPicked} />}
      {probe ? <button type="button" className="button" disabled={run.isPending} onClick={() => run.mutate("")}>Fit the curve to the last week</button> : <p>Its bed has no calibrated probe beside it yet.</p>}
      {run.isError && <p role="alert" className="error">{problemOf(run.error)}</p>}
      {r && (
        <>
          <svg viewBox="0 0 480 220" className="cal-line" role="img" aria-label={`${r.pairs} pairs and the fitted curve, which misses them by ${fixed(r.fit.rmse * 100, 1)} points`}>
            <rect x="46" y="8" width="426" height="172" fill={colour.paper} />
            {r.theta.map((t, i) => <circle key={i} cx={46 + ((r.suction_kpa[i] ?? 0) / (r.curve_kpa.at(-1) ?? 1)) * 426} cy={180 - t * 172} r="2.4" fill={colour.ink} opacity="0.5" />)}
            {[{ y: r.fitted, tone: colour.reed, dash: undefined }, { y: r.present, tone: colour.quiet, dash: "5 4" }].map((c) => (
              <path key={c.tone} fill="none" stroke={c.tone} strokeWidth="2" strokeDasharray={c.dash} d={c.y.map((v, i) => `${i ? "L" : "M"}${46 + ((r.curve_kpa[i] ?? 0) / (r.curve_kpa.at(-1) ?? 1)) * 426} ${180 - v * 172}`).join(" ")} />
            ))}
            {[0, 0.5, 1].map((t) => <text key={t} x="40" y={184 - t * 172} textAnchor="end" className="axis">{t * 100} %</text>)}
            <text x="46" y="198" className="axis">0</text><text x="472" y="198" textAnchor="end" className="axis">{fixed(r.curve_kpa.at(-1), 0)} kPa</text>
          </svg>
          <p>{r.pairs} pairs; the curve misses them by {fixed(r.fit.rmse * 100, 1)} points: θs {fixed(r.fit.theta_s, 3)}, θr {fixed(r.fit.theta_r, 3)}, α {fixed(r.fit.alpha, 3)} 1/cm, n {fixed(r.fit.n, 2)} (van Genuchten 1980), seen from {fixed(r.fit.low_cm, 0)} to {fixed(r.fit.high_cm, 0)} cm of suction. Dashed: {r.medium} as it is described now.</p>
          {mayChange && <><TextField label="Keep it as a medium of your own, named" value={name} onChange={setName} /><button type="button" className="button" disabled={name.trim() === "" || run.isPending} onClick={() => run.mutate(name.trim())}>Keep the medium</button></>}
        </>
      )}
    </section>
  );
}
