import { useNavigate } from "react-router";
import { problemOf } from "../../api/client";
import { useProgramme } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { millilitres, percent } from "../../units/format";
import { ProgrammeEditor } from "./ProgrammeEditor";

/** Without a bed: each bed's programme in a line. With one: its programme as a sentence that can be edited and tried. */
export default function Water(props: StageProps) {
  return props.bed ? <WaterBed {...props} bed={props.bed} /> : <WaterHouse {...props} />;
}

function WaterHouse({ watch }: StageProps) {
  const go = useNavigate();
  return (
    <>
      <h1>How the beds are watered</h1>
      <p className="lead">Choose a bed to read its programme as a sentence, change it, and try it on a simulated day.</p>
      <ul className="probe-list">
        {watch.beds.map((b) => (
          <li key={b.id}>
            <div>
              <b>Bed {b.name}</b>, {b.crop}
              <span className="quiet block">
                {b.programme === null ? "no programme yet; one is proposed" : `version ${b.programme}, band ${percent(b.low)} to ${percent(b.high)}; ${b.pulses_today} pulses, ${millilitres(b.given.value ?? 0)} per plant today`}
              </span>
            </div>
            <button type="button" className={b.programme === null ? "button primary" : "button"} onClick={() => go(`/water/${b.id}`)}>
              {b.programme === null ? "Read the proposal" : "Open"}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

function WaterBed({ watch, bed, mayChange }: StageProps & { bed: NonNullable<StageProps["bed"]> }) {
  const programme = useProgramme(bed.id);
  if (programme.isPending) return <p className="quiet">Reading the programme…</p>;
  if (!programme.data) return <p role="alert" className="error">{problemOf(programme.error)}</p>;
  return <ProgrammeEditor watch={watch} bed={bed} programme={programme.data} mayChange={mayChange} />;
}
