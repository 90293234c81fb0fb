import { useState } from "react";
import { ApiError, api, take, type Bench, type BenchCard as Card } from "../../api/client";
import { useChange } from "../../api/queries";
import { age, fixed } from "../../units/format";

interface Props {
  card: Card;
  index: number;
  bench: Bench;
  active: boolean;
  mayChange: boolean;
  now: string;
}

type Typed = Record<string, string>;
const number = (text: string | undefined): number | null => (text === undefined || text.trim() === "" ? null : Number(text.replace(",", ".")));

/** A capture: what to do, what to type with it, the large button that sleeps until the reading is steady. */
export function BenchCard({ card, index, bench, active, mayChange, now }: Props) {
  const [typed, setTyped] = useState<Typed>({});
  const [again, setAgain] = useState(false);
  const set = (name: string, value: string) => setTyped((t) => ({ ...t, [name]: value }));
  const proposed = card.proposed === null ? undefined : fixed(card.proposed * 100, 1);
  const theta = number(typed.theta ?? proposed);
  const body = {
    method: bench.method.code, kind: card.kind, theta: card.asks === "theta" && theta !== null ? theta / 100 : null, mass_g: number(typed.mass_g), value: number(typed.value),
    standard: card.asks === "standard" ? (typed.standard ?? bench.standards[0]?.code ?? "") : "", temp_c: card.asks === "standard" ? number(typed.temp_c ?? "20") : null, seconds: number(typed.seconds), millilitres: number(typed.millilitres),
  };
  const capture = useChange(
    () =>
      bench.target === "doser"
        ? take(api.POST("/api/dosers/{actuator_id}/captures/", { params: { path: { actuator_id: bench.id } }, body }))
        : take(api.POST("/api/channels/{channel_id}/captures/", { params: { path: { channel_id: bench.id } }, body })),
    "bench",
  );
  const drop = useChange((id: number) => take(api.POST("/api/captures/{capture_id}/drop/", { params: { path: { capture_id: id } } })), "bench");
  const error = capture.error instanceof ApiError ? capture.error : null;
  const open = active || again || !card.once;
  const title = `Point ${index + 1}: ${card.title}`;
  return (
    <section className={`point ${open ? "open" : ""}`} aria-label={title}>
      <h2>{card.once ? `${index + 1} ` : ""}{card.title}</h2>
      {(card.points.length === 0 || !card.once) && <p>{card.text}</p>}
      {card.points.map((p) => (
        <p key={p.id} className="captured">
          {fixed(p.raw, bench.live.span_raw > 200 ? 0 : 2)} {bench.unit}{p.noise_raw > 0 && `, scatter ${fixed(p.noise_raw, bench.live.span_raw > 200 ? 0 : 3)}`}
          {p.reference !== null && `, at ${bench.gives_unit === "% v/v" ? `${fixed(p.reference * 100, 1)} %` : `${fixed(p.reference, 2)} ${bench.gives_unit}`}`}
          <span className="quiet block">captured {age(p.taken_at, now)}, {p.taken_by} {!card.once && mayChange && <button type="button" className="quiet-button" aria-label={`Leave out the point at ${fixed(p.raw, 0)}`} onClick={() => drop.mutate(p.id)}>leave out</button>}</span>
        </p>
      ))}
      {open && mayChange && (
        <>
          <Asked card={card} index={index} bench={bench} typed={typed} proposed={proposed} set={set} />
          <button type="button" className="button primary capture" disabled={!bench.live.steady || capture.isPending}
            onClick={() => capture.mutate(undefined, { onSuccess: () => { setAgain(false); setTyped({}); } })}>
            {capture.isPending ? "Capturing…" : bench.target === "doser" ? "Keep the run" : "Capture"}
          </button>
          {!bench.live.steady && <span className="quiet block">Capture wakes when the bubble rests in the middle.</span>}
          {error && <p role="alert" className="error">{error.message}</p>}
        </>
      )}
      {!open && card.points.length > 0 && mayChange && <button type="button" className="quiet-button" onClick={() => setAgain(true)}>capture again</button>}
    </section>
  );
}

function Asked({ card, index, bench, typed, proposed, set }: { card: Card; index: number; bench: Bench; typed: Typed; proposed: string | undefined; set: (name: string, value: string) => void }) {
  const input = (name: string, label: string, unit: string, words: string, value = "") => (
    <label className="asked">
      {label}{" "}
      <input className="inline-number" inputMode="decimal" value={typed[name] ?? value} aria-label={words} onChange={(e) => set(name, e.target.value)} /> {unit}
    </label>
  );
  if (card.asks === "theta") return <>{input("theta", "water content", "%", `Water content of point ${index + 1} in % v/v`, proposed ?? "")}<span className="quiet block">{card.origin}</span></>;
  if (card.asks === "mass_g") return <>{input("mass_g", "the scale shows", "g", "Mass on the scale in g")}{bench.hands?.scale && <FromScale channel={bench.id} onRead={(g) => set("mass_g", fixed(g, 0).replaceAll("\u202f", ""))} />}</>;
  if (card.asks === "value") return input("value", "it truly is", bench.gives_unit === "% v/v" ? "%" : bench.gives_unit, "True value", "");
  if (card.asks === "run") return <>{input("seconds", "ran for", "s", "Seconds it ran")}{input("millilitres", "gave", "mL", "Millilitres it gave")}</>;
  if (card.asks !== "standard") return null;
  const other = (typed.standard ?? bench.standards[0]?.code) === "other";
  return (
    <>
      <label className="asked">standard{" "}
        <select className="inline-select" aria-label="Standard" value={typed.standard ?? bench.standards[0]?.code} onChange={(e) => set("standard", e.target.value === "other" ? "" : e.target.value)}>
          {bench.standards.map((s) => <option key={s.code} value={s.code}>{s.name}</option>)}
          <option value="">another, type its value</option>
        </select>
      </label>
      {typed.standard === "" || other ? input("value", "it is", bench.unit, "Value of the standard") : input("temp_c", "at", "°C", "Temperature of the standard in °C", "20")}
    </>
  );
}

function FromScale({ channel, onRead }: { channel: number; onRead: (grams: number) => void }) {
  const read = useChange(() => take(api.GET("/api/channels/{channel_id}/scale/", { params: { path: { channel_id: channel } } })));
  return (
    <>
      <button type="button" className="quiet-button" onClick={() => read.mutate(undefined, { onSuccess: (w) => onRead(w.grams) })}>read the scale</button>
      {read.isError && <span className="quiet block">The stand-in&apos;s pot is not on the scale: put the probe in the pot first.</span>}
    </>
  );
}
