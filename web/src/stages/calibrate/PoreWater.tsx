import { useState } from "react";
import { ApiError, api, take, type Bench } from "../../api/client";
import { useChange } from "../../api/queries";
import { Fig } from "../../frame/Fig";
import { fixed } from "../../units/format";

const number = (text: string): number | null => (text.trim() === "" ? null : Number(text.replace(",", ".")));

/** From bulk to pore water: ε0 as a starting value, by hand, or from a sample of the water itself. */
export function PoreWater({ bench, mayChange, now }: { bench: Bench; mayChange: boolean; now: string }) {
  const [sample, setSample] = useState("");
  const [own, setOwn] = useState("");
  const save = useChange(
    (body: { sample_ec?: number | null; epsilon_dry?: number | null }) => take(api.PUT("/api/probes/{probe_id}/pore/", { params: { path: { probe_id: bench.probe ?? 0 } }, body })),
    "bench", "watch", "ribbon",
  );
  const p = bench.pore;
  if (!p) return null;
  const dry = (p.permittivity.value ?? 0) < p.usable_above;
  const error = save.error instanceof ApiError ? save.error : null;
  return (
    <section aria-label="Pore water">
      <h2>Pore water</h2>
      <p>
        Pore-water conductivity <Fig figure={p.pore_ec} now={now} label="pore-water conductivity" />, from bulk <Fig figure={p.bulk_ec} now={now} label="bulk conductivity" />, permittivity <Fig figure={p.permittivity} now={now} label="permittivity" /> and <Fig figure={p.medium_temp} now={now} label="substrate temperature" />;
        ε0 is {fixed(p.epsilon_dry, 1)}, {p.own ? "your own" : "a starting value"}. {dry ? `The mix is too dry for it now: permittivity must be above ${fixed(p.usable_above, 1)}.` : `It holds while permittivity is above ${fixed(p.usable_above, 1)}.`}
      </p>
      {mayChange && (
        <>
          <p className="quiet">Pour water through a pot and catch what comes, or squeeze the mix beside the probe; measure it with a hand meter you have just calibrated, at 25 °C.</p>
          <label className="asked">the sample has <input className="inline-number" inputMode="decimal" aria-label="Conductivity of the sample in mS/cm" value={sample} onChange={(e) => setSample(e.target.value)} /> mS/cm</label>
          <button type="button" className="button" disabled={save.isPending || sample === ""} onClick={() => save.mutate({ sample_ec: number(sample) })}>Fit ε0 to this sample</button>
          <details>
            <summary>Set ε0 by hand</summary>
            <label className="asked">ε0 <input className="inline-number" inputMode="decimal" aria-label="ε0" value={own} onChange={(e) => setOwn(e.target.value)} /></label>
            <div className="actions"><button type="button" className="button" disabled={own === ""} onClick={() => save.mutate({ epsilon_dry: number(own) })}>Set it</button><button type="button" className="button" onClick={() => save.mutate({})}>Back to the starting value</button></div>
          </details>
          {error && <p role="alert" className="error">{error.message}</p>}
        </>
      )}
    </section>
  );
}
