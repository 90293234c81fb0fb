import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type Cups, type Layout } from "../../api/client";
import { useChange } from "../../api/queries";
import { CupStrip } from "../../drawings/CupStrip";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { age, fixed, seconds } from "../../units/format";

const volumesOf = (text: string) => text.split(/[\s;,]+/).filter(Boolean).map((v) => Number(v));

/** The dripper test of a bed: paste what the cups caught, see which drippers to clean, keep the flow. */
export default function DrippersPart({ watch, bed, mayChange, layout }: StageProps & { layout: Layout }) {
  const [text, setText] = useState("");
  const [minutes, setMinutes] = useState("2");
  const [kept, setKept] = useState(false);
  const volumes = volumesOf(text);
  const ready = bed !== null && volumes.length >= 4 && volumes.every((v) => !Number.isNaN(v)) && Number(minutes.replace(",", ".")) > 0;
  const body = { volumes_ml: volumes, minutes: Number(minutes.replace(",", ".")) };
  const path = { params: { path: { bed_id: bed?.id ?? 0 } } };
  const judged = useQuery({
    queryKey: ["cups", "judge", bed?.id, text, minutes],
    enabled: ready && !kept,
    queryFn: () => take(api.POST("/api/beds/{bed_id}/cups/judge/", { ...path, body })),
    placeholderData: (p) => p,
    retry: false,
  });
  const past = useQuery({ queryKey: ["cups", bed?.id], enabled: bed !== null, queryFn: () => take(api.GET("/api/beds/{bed_id}/cups/", path)) });
  const record = useChange(() => take(api.POST("/api/beds/{bed_id}/cups/record/", { ...path, body })), "cups", "layout", "plumbing", "watch", "programme");
  if (!bed) return <><h1>Test the drippers</h1><p className="lead">Choose a bed in the row above. Its drippers are tested with cups, and from then on the tested flow turns millilitres into seconds.</p></>;
  const form = layout.houses.flatMap((h) => h.beds).find((b) => b.id === bed.id)?.form;
  const result: Cups | undefined = record.data ?? (ready ? judged.data : undefined);
  return (
    <>
      <h1>Drippers of bed {bed.name}</h1>
      <p className="lead">
        Put a cup under each of 12 drippers or more, spread over the bed from the valve to its end. Run the bed for two minutes, then write down what each cup caught, in bed order.
        {form && ` It counts with ${fixed(form.tested_flow_ml_min ?? form.rated_flow_ml_min, 1)} mL/min per plant now, ${form.tested_flow_ml_min ? "tested" : "rated, not tested yet"}.`}
      </p>
      <div className="cups-form">
        <label>Cups in bed order, mL
          <textarea rows={3} value={text} placeholder="62 58 60 61 55 59 …" onChange={(e) => { setText(e.target.value); setKept(false); record.reset(); }} />
        </label>
        <label>Caught for
          <span><input className="inline-number" inputMode="decimal" value={minutes} aria-label="Minutes of catching" onChange={(e) => { setMinutes(e.target.value); setKept(false); record.reset(); }} /> min</span>
        </label>
      </div>
      {text && !ready && <p className="quiet">At least 4 cups, numbers only; spaces, commas or lines between them. {volumes.length} so far.</p>}
      {judged.isError && ready && <p role="alert" className="error">{problemOf(judged.error)}</p>}
      {result && (
        <section aria-label="What the cups say">
          <CupStrip cups={result.cups} />
          <p className="lead">{result.sentence}</p>
          <p>
            Evenness: Christiansen {fixed(result.christiansen, 1)} % ({result.christiansen_class}), lowest quarter {fixed(result.low_quarter, 1)} % ({result.low_quarter_class}),
            emission <Fig figure={result.emission} label="emission uniformity" /> ({result.emission_class}).
          </p>
          <p>
            {fixed(result.dose_ml, 0)} mL per plant take {seconds(result.seconds_after)} by the tested flow
            {result.seconds_before !== null && result.seconds_after !== null && `, ${seconds(result.seconds_before)} before`}.
          </p>
          {mayChange && !record.isSuccess && <button type="button" className="button primary" disabled={record.isPending} onClick={() => record.mutate(undefined, { onSuccess: () => setKept(true) })}>Keep this test: {fixed(result.flow_after_ml_min, 1)} mL/min from now on</button>}
          {record.isSuccess && <p role="status">Kept. Bed {bed.name} counts with {fixed(result.flow_after_ml_min, 1)} mL/min per plant from now on.</p>}
          {record.isError && <p role="alert" className="error">{problemOf(record.error)}</p>}
        </section>
      )}
      <h2>Earlier tests</h2>
      {past.data && past.data.length > 0 ? (
        <table className="plain-table">
          <caption className="visually-hidden">Earlier dripper tests of bed {bed.name}</caption>
          <thead><tr><th scope="col">When</th><th scope="col">Who</th><th scope="col">Cups</th><th scope="col">Christiansen</th><th scope="col">Lowest quarter</th><th scope="col">Emission</th><th scope="col">Flow per plant</th></tr></thead>
          <tbody>
            {past.data.map((t) => (
              <tr key={t.at}>
                <th scope="row">{age(t.at, watch.now)}</th><td>{t.by}</td><td>{t.cups}</td><td>{fixed(t.christiansen, 1)} %</td><td>{fixed(t.low_quarter, 1)} %</td><td>{fixed(t.emission, 1)} %</td>
                <td>{fixed(t.flow_after_ml_min, 1)} mL/min</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : <p className="quiet">None yet.</p>}
    </>
  );
}
