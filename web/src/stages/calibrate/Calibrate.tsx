import { useNavigate } from "react-router";
import { problemOf, type Probe } from "../../api/client";
import { useProbes } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { BenchView } from "./BenchView";

/** Without a bed: which probes need it. With one: its bench. */
export default function Calibrate(props: StageProps) {
  const probes = useProbes(props.watch.site);
  if (probes.isPending) return <p className="quiet">Reading the probes…</p>;
  if (probes.isError) return <p role="alert" className="error">{problemOf(probes.error)}</p>;
  const probe = probes.data.find((p) => p.bed === props.bed?.id);
  if (props.bed && probe) return <BenchView {...props} probe={probe} />;
  return <ProbeList probes={probes.data} chosen={props.bed !== null} />;
}

function ProbeList({ probes, chosen }: { probes: Probe[]; chosen: boolean }) {
  const go = useNavigate();
  const waiting = probes.filter((p) => !p.calibrated).length;
  return (
    <>
      <h1>Calibrate</h1>
      <p className="lead">
        {chosen ? "This bed has no probe. " : ""}
        {probes.length === 0 ? "No probes are fitted yet." : waiting ? `${waiting === 1 ? "One probe is" : `${waiting} probes are`} not calibrated; its bed is not watered until it is.` : "Every probe is calibrated."}
      </p>
      <ul className="probe-list">
        {probes.map((p) => (
          <li key={p.id}>
            <div>
              <b>Probe {p.name}</b>, bed {p.bed_name}, {p.crop}
              <span className="quiet block">{p.state}{p.provisional ? ", provisional: it stretches the span" : ""}</span>
            </div>
            <button type="button" className={p.calibrated ? "button" : "button primary"} onClick={() => go(`/calibrate/${p.bed}`)}>
              {p.calibrated ? "Open the bench" : "Calibrate it"}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
