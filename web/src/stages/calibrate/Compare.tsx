import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type Bench, type ScaleComparison } from "../../api/client";
import { useChange, useProgramme } from "../../api/queries";
import { SeriesPlot } from "../../drawings/SeriesPlot";
import { fixed } from "../../units/format";

/** The draft and the version in force over the same raw readings, and what the programme's thresholds mean on the new scale. */
export function Compare({ bench, form, zone, mayChange }: { bench: Bench; form: string; zone: string; mayChange: boolean }) {
  const water = bench.gives_unit === "% v/v";
  const scale = water ? 100 : 1;
  const captured = bench.cards.flatMap((c) => c.points.map((p) => p.id)).join();
  const found = useQuery({
    queryKey: ["compare", bench.id, bench.method.code, form, captured, bench.next_number],
    queryFn: () => take(api.POST("/api/channels/{channel_id}/compare/", { params: { path: { channel_id: bench.id } }, body: { method: bench.method.code, form, days: 2 } })),
    retry: false,
  });
  if (found.isError) return <p role="alert" className="error">{problemOf(found.error)}</p>;
  const c = found.data;
  if (!c) return <p className="quiet">Laying both over the last days…</p>;
  return (
    <section aria-label="Before you publish">
      <h2>Before you publish</h2>
      <p>
        Over the last two days the new curve reads {c.step === null ? "nothing yet to compare" : `${fixed(c.step * scale, 1)} ${water ? "points" : bench.gives_unit} ${c.step < 0 ? "lower" : "higher"} on average`}
        {c.step_now !== null && `, ${fixed(Math.abs(c.step_now * scale), 1)} ${c.step_now < 0 ? "lower" : "higher"} now`}.
        {c.outside_share > 0.02 && ` ${fixed(c.outside_share * 100, 0)} % of those readings lie outside the captured range: they are extrapolated and flagged.`}
      </p>
      <SeriesPlot start={c.start} stepMin={c.step_min} zone={zone} unit={bench.gives_unit} scale={scale} height={170}
        series={[{ name: "in force", values: c.a, tone: "quiet" }, { name: "new", values: c.b, tone: "water" }]} />
      {c.thresholds.length > 0 && c.bed !== null && <Thresholds found={c} bed={c.bed} mayChange={mayChange} />}
    </section>
  );
}

/** Thresholds stand as numbers on a scale: with a new scale each keeps its number or its water. */
function Thresholds({ found, bed, mayChange }: { found: ScaleComparison; bed: number; mayChange: boolean }) {
  const programme = useProgramme(bed);
  const [keep, setKeep] = useState<Record<string, boolean>>({});
  const publish = useChange(() => {
    const held = programme.data?.published;
    if (!held) throw new Error("no programme");
    const moved = Object.fromEntries(found.thresholds.filter((t) => !keep[t.field] && t.new !== null).map((t) => [t.field, Number((t.new ?? t.old).toFixed(3))]));
    return take(api.POST("/api/beds/{bed_id}/programme/publish/", { params: { path: { bed_id: bed } }, body: { ...held, body: { ...held.body, ...moved } } }));
  }, "programme", "watch", "ribbon");
  return (
    <>
      <p>Programme {found.programme} of this bed stands on the old scale. Once the new one is in force:</p>
      <table className="plain-table">
        <caption className="visually-hidden">Thresholds on both scales</caption>
        <thead><tr><th scope="col">Threshold</th><th scope="col">now</th><th scope="col">same water, new scale</th><th scope="col">what you want</th></tr></thead>
        <tbody>
          {found.thresholds.map((t) => (
            <tr key={t.field}>
              <th scope="row">{t.name}</th><td>{fixed(t.old * 100, 1)} %</td><td>{t.new === null ? t.why_not : `${fixed(t.new * 100, 1)} %`}</td>
              <td>
                {t.new !== null && (
                  <select className="inline-select" aria-label={`${t.name}: what you want`} value={keep[t.field] ? "number" : "water"} onChange={(e) => setKeep({ ...keep, [t.field]: e.target.value === "number" })}>
                    <option value="water">keep the water, change the number</option>
                    <option value="number">keep the number, change the water</option>
                  </select>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {mayChange && <button type="button" className="button" disabled={publish.isPending || !programme.data?.published || publish.isSuccess} onClick={() => publish.mutate(undefined)}>{publish.isSuccess ? "Thresholds published" : "Publish these thresholds with the new scale"}</button>}
      {publish.isError && <p role="alert" className="error">{problemOf(publish.error)}</p>}
    </>
  );
}
