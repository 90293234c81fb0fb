import { useQuery } from "@tanstack/react-query";
import { Button, Drawer, Form } from "antd";
import { useState } from "react";
import { api, problemOf, take, type Layout, type MediumRow } from "../../api/client";
import { useChange, useMedia } from "../../api/queries";
import { WaterColumns } from "../../drawings/WaterColumns";
import { Fig } from "../../frame/Fig";
import { at, NumberField, TextField } from "../../frame/Field";
import type { StageProps } from "../../frame/Frame";
import { capital, counted, fixed, percent } from "../../units/format";

/** Media of the library and of one's own; how water stands in them, and why a tall pot drains better. */
export default function MediaPart({ watch, bed, mayChange, layout }: StageProps & { layout: Layout }) {
  const media = useMedia(watch.site);
  const chosenBed = layout.houses.flatMap((h) => h.beds).find((b) => b.id === bed?.id);
  const [picked, setPicked] = useState<string | null>(null);
  const [editing, setEditing] = useState<MediumRow | "new" | null>(null);
  const code = picked ?? chosenBed?.form.medium ?? mostUsed(media.data);
  const own = chosenBed?.form.height_cm ?? 10;
  const heights = [...new Set([own, own * 2, own / 2])].filter((h) => h >= 2 && h <= 100).sort((a, b) => a - b);
  const volume = chosenBed?.figures.volume?.value ?? null;
  const profile = useQuery({
    queryKey: ["media", "profile", watch.site, code, heights.join(), volume],
    queryFn: () => take(api.POST("/api/sites/{site_id}/media/profile/", { params: { path: { site_id: watch.site } }, body: { medium: code, heights_cm: heights, volume_l: volume } })),
    placeholderData: (p) => p,
  });
  if (!media.data) return media.isError ? <p role="alert" className="error">{problemOf(media.error)}</p> : <p className="quiet">Opening the media…</p>;
  return (
    <>
      <h1>Substrate, and how water stands in it</h1>
      <p className="lead">{profile.data ? capital(profile.data.sentence) : "A drained container is wet at its foot and drier towards its top."}</p>
      {profile.data && <WaterColumns profile={profile.data} />}
      {chosenBed && profile.data?.at_capacity_l != null && (
        <p>
          Bed {chosenBed.form.name}, {chosenBed.form.height_cm} cm high: {fixed(profile.data.at_capacity_l, 2)} L per plant at capacity;{" "}
          {chosenBed.figures.easily && <Fig figure={chosenBed.figures.easily} label="easily usable water" />} easily usable, {fixed((profile.data.buffer_l ?? 0) * 1000, 0)} mL in reserve behind it.
          One point of water content is {chosenBed.figures.ml_per_point && <Fig figure={chosenBed.figures.ml_per_point} label="one point of water content" />}.
        </p>
      )}
      {!chosenBed && <p className="quiet">Choose a bed above to see its own height and its litres per plant.</p>}
      <table className="plain-table">
        <caption>Media</caption>
        <thead><tr><th scope="col">Medium</th><th scope="col">Full</th><th scope="col">Residual</th><th scope="col">α, 1/cm</th><th scope="col">n</th><th scope="col">Air-dried</th><th scope="col">Beds</th><th scope="col"><span className="visually-hidden">Show or change</span></th></tr></thead>
        <tbody>
          {media.data.map((m) => (
            <tr key={m.code} className={m.code === code ? "chosen" : ""}>
              <th scope="row">{m.form.name}<span className="quiet block">{m.form.origin}</span></th>
              <td>{percent(m.form.theta_s, 0)}</td><td>{percent(m.form.theta_r, 0)}</td><td>{m.form.alpha}</td><td>{m.form.n}</td><td>{percent(m.form.dry_mix_theta, 0)}</td>
              <td>{counted(m.beds) || "–"}</td>
              <td>
                <button type="button" className="quiet-button" aria-pressed={m.code === code} aria-label={`Show ${m.form.name}`} onClick={() => setPicked(m.code)}>show</button>
                {m.id !== null && mayChange && <button type="button" className="quiet-button" aria-label={`Change ${m.form.name}`} onClick={() => setEditing(m)}>change</button>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {mayChange && <button type="button" className="button" onClick={() => setEditing("new")}>Add a medium of your own</button>}
      {editing && <MediumEditor site={watch.site} row={editing === "new" ? null : editing} like={media.data.find((m) => m.code === code)} onClose={() => setEditing(null)} />}
    </>
  );
}

const mostUsed = (media: MediumRow[] | undefined): string => media?.reduce((a, b) => (b.beds.length > a.beds.length ? b : a)).code ?? "coir";

function MediumEditor({ site, row, like, onClose }: { site: number; row: MediumRow | null; like: MediumRow | undefined; onClose: () => void }) {
  const start = row?.form ?? { name: "", theta_s: 0.9, theta_r: 0.12, alpha: 0.1, n: 1.7, dry_mix_theta: 0.06, origin: "", version: 0, ...(like ? { ...like.form, name: "", origin: `like ${like.form.name}`, version: 0 } : {}) };
  const [form, setForm] = useState(start);
  const save = useChange(
    () => row?.id != null
      ? take(api.PUT("/api/media/{medium_id}/", { params: { path: { medium_id: row.id } }, body: form }))
      : take(api.POST("/api/sites/{site_id}/media/new/", { params: { path: { site_id: site } }, body: form })),
    "media", "layout", "watch",
  );
  const number = (name: "theta_s" | "theta_r" | "dry_mix_theta" | "alpha" | "n", label: string, unit: string, scale = 1, extra = "") => (
    <NumberField label={label} value={form[name]} unit={unit} scale={scale} extra={extra} error={at(save.error, name)} onChange={(v) => setForm({ ...form, [name]: v ?? 0 })} />
  );
  return (
    <Drawer open size={440} title={row ? row.form.name : "A medium of your own"} onClose={onClose}
      footer={<Button type="primary" loading={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Save the medium</Button>}>
      <p className="quiet">From a retention curve measured by a laboratory. The proposed numbers are those of the medium shown.</p>
      <Form layout="vertical" component="div">
        <TextField label="Name" value={form.name} error={at(save.error, "name")} onChange={(name) => setForm({ ...form, name })} />
        {number("theta_s", "Water content when full", "% v/v", 100)}
        {number("theta_r", "Residual water content", "% v/v", 100)}
        {number("alpha", "α", "1/cm", 1, "inverse of the suction at which air enters")}
        {number("n", "n", "", 1, "how steeply it empties")}
        {number("dry_mix_theta", "Left in the air-dried mix", "% v/v", 100)}
        <TextField label="Where the numbers come from" value={form.origin ?? ""} maxLength={120} onChange={(origin) => setForm({ ...form, origin })} />
      </Form>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      {row && row.beds.length > 0 && <p className="quiet">A change moves the capacity of beds {counted(row.beds)}.</p>}
    </Drawer>
  );
}
