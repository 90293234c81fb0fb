import { Modal } from "antd";
import { useState } from "react";
import { api, problemOf, take, type BedNow } from "../../api/client";
import { useChange, useProgramme } from "../../api/queries";
import { fixed, seconds } from "../../units/format";

type Act = "dose" | "stop" | "resume" | "clear";

/** What a person may order here and now. Each says what will happen, for how long, and how it ends. */
export default function BedActions({ bed }: { bed: BedNow }) {
  const programme = useProgramme(bed.id);
  const [asking, setAsking] = useState<Act | null>(null);
  const path = { params: { path: { bed_id: bed.id } } };
  const order = useChange(
    async (act: Act): Promise<void> => {
      if (act === "dose") await take(api.POST("/api/beds/{bed_id}/dose/", path));
      else if (act === "stop") await api.POST("/api/beds/{bed_id}/stop/", path);
      else if (act === "resume") await api.POST("/api/beds/{bed_id}/resume/", path);
      else await api.POST("/api/beds/{bed_id}/clear-fault/", path);
    },
    "watch", "slip", "ribbon", "programme",
  );
  const p = programme.data;
  if (!p?.controllable) return null;
  const dose = p.dose_ml;
  const words: Record<Act, { title: string; text: string; ok: string }> = {
    dose: {
      title: `Give bed ${bed.name} one dose now?`, ok: "Give it",
      text: `${fixed(dose, 0)} mL per plant: pump and valve run for ${seconds(p.seconds.value)} and close by themselves. Stop ends it sooner. The daily cap, the tank and the pump still hold it back.`,
    },
    stop: { title: `Stop bed ${bed.name}?`, ok: "Stop it", text: "Its valve closes now, and no pulse is given until someone resumes it." },
    resume: { title: `Resume bed ${bed.name}?`, ok: "Resume it", text: "Its programme acts again from the next minute; the guards stay on." },
    clear: {
      title: `Clear the fault of bed ${bed.name}?`, ok: "I have looked, clear it",
      text: "Pulses did not bring it to its high. Look for blocked drippers, a closed tap or a probe out of the wet zone first. Pressure off before you open a line. Its programme acts again from the next minute.",
    },
  };
  const asked = asking && words[asking];
  return (
    <div className="actions">
      {bed.fault && <button type="button" className="button primary" onClick={() => setAsking("clear")}>Clear the fault</button>}
      {!bed.fault && !bed.stopped && <button type="button" className="button" onClick={() => setAsking("dose")}>Give one dose</button>}
      {bed.stopped ? (
        <button type="button" className="button primary" onClick={() => setAsking("resume")}>Resume</button>
      ) : (
        <button type="button" className="button" onClick={() => setAsking("stop")}>Stop this bed</button>
      )}
      {order.isError && <p role="alert" className="error">{problemOf(order.error)}</p>}
      <Modal open={asked !== null} title={asked?.title} okText={asked?.ok} cancelText="Leave it" confirmLoading={order.isPending}
        onCancel={() => setAsking(null)}
        onOk={() => {
          if (asking) order.mutate(asking, { onSettled: () => setAsking(null) });
        }}>
        <p>{asked?.text}</p>
      </Modal>
    </div>
  );
}
