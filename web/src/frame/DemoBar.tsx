import { api, take, type Watch } from "../api/client";
import { useChange } from "../api/queries";

const RATES = [
  { rate: 0, label: "paused" },
  { rate: 1, label: "1×" },
  { rate: 60, label: "60×" },
];

/** Only the demo holding has this bar: its clock is its own. */
export function DemoBar({ watch, mayChange }: { watch: Watch; mayChange: boolean }) {
  const change = useChange(
    (rate: number) => take(api.POST("/api/sites/{site_id}/demo/clock/", { params: { path: { site_id: watch.site } }, body: { rate } })),
    "watch",
  );
  return (
    <section className="demo-bar" aria-label="Demo holding">
      <span>
        <b>Demo holding.</b> <span className="wide-only">Invented place and simulated nodes; all times are of the demo's own clock.</span>
      </span>
      <div role="group" aria-label="Speed of the demo clock">
        {RATES.map(({ rate, label }) => (
          <button key={rate} type="button" aria-pressed={watch.rate === rate} disabled={!mayChange || change.isPending} onClick={() => change.mutate(rate)}>
            {label}
          </button>
        ))}
      </div>
    </section>
  );
}
