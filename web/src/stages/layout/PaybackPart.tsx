import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, api, problemOf, take, type Payback } from "../../api/client";
import { useChange } from "../../api/queries";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";

const ENDS = ["low", "likely", "high"] as const;

/** What it costs and when it is paid back: a range, from assumptions one can change. */
export default function PaybackPart({ watch, mayChange }: StageProps) {
  const path = { params: { path: { site_id: watch.site } } };
  const kept = useQuery({ queryKey: ["payback", watch.site], queryFn: () => take(api.GET("/api/sites/{site_id}/payback/", path)) });
  const [form, setForm] = useState<Payback["form"] | null>(null);
  const held = form ?? kept.data?.form ?? null;
  const tried = useQuery({
    queryKey: ["payback", watch.site, form],
    enabled: form !== null,
    queryFn: () => take(api.POST("/api/sites/{site_id}/payback/try/", { ...path, body: form as Payback["form"] })),
    placeholderData: (p) => p,
    retry: false,
  });
  const save = useChange(() => take(api.PUT("/api/sites/{site_id}/payback/save/", { ...path, body: held as Payback["form"] })), "payback");
  if (!kept.data || !held) return kept.isError ? <p role="alert" className="error">{problemOf(kept.error)}</p> : <p className="quiet">Reckoning…</p>;
  const shown = (form && tried.data) || kept.data;
  const error = tried.error instanceof ApiError ? tried.error : null;
  const set = (field: string, end: number, text: string) => {
    const value = Number(text.replace(",", "."));
    if (Number.isNaN(value)) return;
    const spans = [...(held.assumptions[field] ?? [0, 0, 0])];
    spans[end] = field === "saved_share" ? value / 100 : value;
    setForm({ ...held, assumptions: { ...held.assumptions, [field]: spans } });
  };
  return (
    <>
      <h1>What it costs, and when it is paid back</h1>
      <p className="lead">{shown.sentence}</p>
      <p>Likely: <Fig figure={shown.months_likely} label="months to pay back" />, <span className="quiet">{shown.months_likely.source}</span></p>
      <PaybackBar shown={shown} />
      {error && <p role="alert" className="error">{error.message}</p>}
      <table className="plain-table stacked assumptions">
        <caption className="visually-hidden">Assumptions, low, likely and high</caption>
        <thead><tr><th scope="col">Assumption, {held.currency}</th>{ENDS.map((e) => <th key={e} scope="col">{e}</th>)}<th scope="col">Where it comes from</th></tr></thead>
        <tbody>
          {Object.entries(shown.labels).map(([field, label]) => (
            <tr key={field} className={label === shown.swing_label ? "chosen" : ""}>
              <th scope="row">{label}{field === "saved_share" ? ", %" : field === "water_m3_a_year" ? ", m³" : ""}</th>
              {ENDS.map((e, i) => {
                const value = held.assumptions[field]?.[i] ?? 0;
                return (
                  <td key={e} data-label={e}>
                    <input className="inline-number" inputMode="decimal" disabled={!mayChange} aria-label={`${label}, ${e}`} defaultValue={fixed(field === "saved_share" ? value * 100 : value, field === "water_price" ? 2 : field === "saved_share" ? 1 : 0).replaceAll("\u202f", "")}
                      onBlur={(ev) => set(field, i, ev.target.value)} />
                  </td>
                );
              })}
              <td className="quiet">{shown.origin[field]}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet">The marked row moves the result most. Savings are water and fertiliser only: a better crop is not promised.</p>
      {mayChange && <button type="button" className="button" disabled={save.isPending || form === null} onClick={() => save.mutate(undefined, { onSuccess: () => setForm(null) })}>Keep these assumptions</button>}
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
    </>
  );
}

/** The range on a line of ten years. */
function PaybackBar({ shown }: { shown: Payback }) {
  const x = (months: number | null) => 10 + Math.min(months ?? 120, 120) * 5.6;
  return (
    <svg viewBox="0 0 700 62" className="payback-bar" role="img" aria-label={shown.sentence}>
      <path d="M10 30 H682" stroke="#8b938d" strokeWidth="1.5" />
      {[0, 24, 48, 72, 96, 120].map((m) => (
        <g key={m}><path d={`M${x(m)} 25 v10`} stroke="#8b938d" /><text x={x(m)} y="54" textAnchor={m === 120 ? "end" : m === 0 ? "start" : "middle"} className="axis">{m / 12} years</text></g>
      ))}
      <rect x={x(shown.months_low)} y="20" width={Math.max(3, x(shown.months_high) - x(shown.months_low))} height="20" fill="#3F6B4F" opacity="0.35" />
      <path d={`M${x(shown.months_likely.value)} 14 v32`} stroke="#17251F" strokeWidth="4" />
    </svg>
  );
}
