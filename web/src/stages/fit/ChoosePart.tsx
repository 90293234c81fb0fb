import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type Choice } from "../../api/client";
import { useCatalogue, useLayout } from "../../api/queries";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";

const BUDGETS = [{ value: 1, label: "low" }, { value: 2, label: "middle" }, { value: 3, label: "high" }];

/** What do you want to know: kinds of sensors with reasons, cautions and what speaks against them. */
export default function ChoosePart({ watch, bed }: StageProps) {
  const catalogue = useCatalogue();
  const layout = useLayout(watch.site);
  const form = layout.data?.houses.flatMap((h) => h.beds).find((b) => b.id === bed?.id)?.form;
  const [want, setWant] = useState("water_content");
  const [months, setMonths] = useState(24);
  const [budget, setBudget] = useState(2);
  const [link, setLink] = useState("");
  const [picked, setPicked] = useState<string | null>(null);
  const medium = picked ?? (form && !form.medium.startsWith("own-") ? form.medium : "coir");
  const choices = useQuery({
    queryKey: ["choose", want, medium, months, budget, link],
    queryFn: () => take(api.POST("/api/catalogue/choose/", { body: { want, medium, months, budget, link } })),
    placeholderData: (p) => p,
  });
  const select = (label: string, value: string | number, options: { value: string | number; label: string }[], onChange: (v: string) => void) => (
    <select aria-label={label} value={value} onChange={(e) => onChange(e.target.value)}>{options.map((o) => <option key={o.value} value={o.value}>{o.label}</option>)}</select>
  );
  if (!catalogue.data) return <p className="quiet">Opening the catalogue…</p>;
  return (
    <>
      <h1>Choose a sensor</h1>
      <p className="sentence try">
        I want to know {select("What you want to know", want, catalogue.data.wants.map((w) => ({ value: w.code, label: w.words })), setWant)}, in{" "}
        {select("Medium", medium, (layout.data?.media ?? []).filter((m) => !m.code.startsWith("own-")).map((m) => ({ value: m.code, label: m.name })), setPicked)}, for{" "}
        {select("How long", months, [6, 12, 24, 36, 60, 120].map((m) => ({ value: m, label: m < 24 ? `${m} months` : `${m / 12} years` })), (v) => setMonths(Number(v)))}, at a{" "}
        {select("Budget", budget, BUDGETS, (v) => setBudget(Number(v)))} budget, by{" "}
        {select("Link", link, [{ value: "", label: "any link" }, ...catalogue.data.links.map((l) => ({ value: l.code, label: l.words }))], setLink)}.
      </p>
      {choices.isError && <p role="alert" className="error">{problemOf(choices.error)}</p>}
      <ol className="choices">{choices.data?.map((c, i) => <ChoiceLine key={c.kind.code} choice={c} first={i === 0} />)}</ol>
      {bed && <HowMany bed={bed.id} name={bed.name} />}
    </>
  );
}

function ChoiceLine({ choice: c, first }: { choice: Choice; first: boolean }) {
  return (
    <li className={c.suits ? "suits" : ""}>
      <h2>{c.kind.name} {first && c.suits && <span className="quiet">suits best</span>}</h2>
      <p>{c.reasons.join(" ")} <span className="quiet">Lasts about {c.kind.life_months < 24 ? `${c.kind.life_months} months` : `${Math.round(c.kind.life_months / 12)} years`}, cost {c.kind.cost}; {c.kind.links.join(", ")}; gives {c.kind.channels.join(", ")}.</span></p>
      {c.against.length > 0 && <p className="tone-clay"><b>Against it:</b> {c.against.join(" ")}</p>}
      <p><b>Mind:</b> {c.cautions.join(" ")}</p>
    </li>
  );
}

/** How many probes, from the spread between them and the certainty wanted. */
function HowMany({ bed, name }: { bed: number; name: string }) {
  const [spread, setSpread] = useState("3");
  const [tolerance, setTolerance] = useState("2");
  const body = { spread_points: Number(spread.replace(",", ".")), tolerance_points: Number(tolerance.replace(",", ".")), confidence: 0.95 };
  const answer = useQuery({
    queryKey: ["probes-needed", bed, spread, tolerance],
    enabled: body.spread_points > 0 && body.tolerance_points > 0,
    queryFn: () => take(api.POST("/api/beds/{bed_id}/probes-needed/", { params: { path: { bed_id: bed } }, body })),
    placeholderData: (p) => p,
    retry: false,
  });
  return (
    <section aria-label="How many probes">
      <h2>How many in bed {name}</h2>
      <p className="sentence">
        Between plants the water content spreads by about <input className="inline-number" inputMode="decimal" value={spread} aria-label="Spread between probes in points" onChange={(e) => setSpread(e.target.value)} /> points, and I want the bed’s mean within{" "}
        <input className="inline-number" inputMode="decimal" value={tolerance} aria-label="Wanted tolerance in points" onChange={(e) => setTolerance(e.target.value)} /> points, 19 times out of 20.
      </p>
      {answer.isError && <p role="alert" className="error">{problemOf(answer.error)}</p>}
      {answer.data && <p><Fig figure={answer.data.probes} label="probes needed" big /> {answer.data.sentence}{answer.data.seen_spread_points === null ? " 3 points is a starting value; two calibrated probes in the bed show the true spread." : ` The spread seen now is ${fixed(answer.data.seen_spread_points, 1)} points.`}</p>}
    </section>
  );
}
