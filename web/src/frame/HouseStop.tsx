import { Modal } from "antd";
import { useState } from "react";
import { api, problemOf, take, type Watch } from "../api/client";
import { useChange } from "../api/queries";

/** Emergency stop of a house: everything closes and stays closed until someone resumes it here. */
export default function HouseStop({ watch, onClose }: { watch: Watch; onClose: () => void }) {
  const [done, setDone] = useState("");
  const act = useChange(
    ({ house, stop }: { house: number; stop: boolean }) => {
      const path = { params: { path: { house_id: house } } };
      return stop ? take(api.POST("/api/houses/{house_id}/stop/", path)) : take(api.POST("/api/houses/{house_id}/resume/", path));
    },
    "watch", "slip", "ribbon",
  );
  return (
    <Modal open onCancel={onClose} footer={null} title="Stop a house">
      <p>Every valve of the house closes now, and its pumps unless they water another house. No pulse is given until someone resumes it here. Float switches and the main breaker stay what they are: software is no safety device.</p>
      {watch.air.map((h) => {
        const beds = watch.beds.filter((b) => b.house === h.house);
        const stopped = beds.filter((b) => b.stopped).length;
        return (
          <div key={h.house} className="house-stop-row">
            <b>{h.name}</b> <span className="quiet">{stopped === 0 ? `${beds.length} beds` : `${stopped} of ${beds.length} beds stopped`}</span>
            {stopped < beds.length && <button type="button" className="button danger" disabled={act.isPending} onClick={() => act.mutate({ house: h.house, stop: true }, { onSuccess: (r) => setDone(`${h.name} is stopped: ${r.beds} beds closed and held.`) })}>Stop {h.name}</button>}
            {stopped > 0 && <button type="button" className="button" disabled={act.isPending} onClick={() => act.mutate({ house: h.house, stop: false }, { onSuccess: (r) => setDone(`${h.name} goes on: ${r.beds} beds act by their programmes again.`) })}>Resume {h.name}</button>}
          </div>
        );
      })}
      {done && <p role="status">{done}</p>}
      {act.isError && <p role="alert" className="error">{problemOf(act.error)}</p>}
    </Modal>
  );
}
