import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, api, problemOf, take } from "../api/client";

/** An invitation's link: set name and password; the first owner describes the holding as well. */
export default function Welcome({ token }: { token: string }) {
  const client = useQueryClient();
  const path = { params: { path: { token } } };
  const asked = useQuery({ queryKey: ["welcome", token], queryFn: () => take(api.GET("/api/welcome/{token}/", path)), retry: false });
  const [form, setForm] = useState({ full_name: "", username: "", password: "" });
  const [site, setSite] = useState({ name: "", latitude: "", longitude: "", altitude_m: "0", time_zone: "" });
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const proposeZone = async () => {
    const latitude = Number(site.latitude);
    const longitude = Number(site.longitude);
    if (site.latitude === "" || site.longitude === "" || Number.isNaN(latitude) || Number.isNaN(longitude)) return;
    try {
      const { time_zone } = await take(api.POST("/api/zone/", { body: { latitude, longitude } }));
      setSite((s) => ({ ...s, time_zone }));
    } catch (problem) {
      setError(problem);
    }
  };
  const submit = async () => {
    setBusy(true);
    setError(null);
    try {
      const first = asked.data?.first
        ? { name: site.name, latitude: Number(site.latitude), longitude: Number(site.longitude), altitude_m: Number(site.altitude_m), time_zone: site.time_zone || "UTC" }
        : null;
      client.setQueryData(["me"], await take(api.POST("/api/welcome/{token}/accept/", { ...path, body: { ...form, site: first } })));
      window.location.assign(first ? "/layout" : "/watch");
    } catch (problem) {
      setError(problem);
      setBusy(false);
    }
  };
  const fault = (name: string) => (error instanceof ApiError ? error.at(name) : undefined);
  const field = (id: string, label: string, value: string, onChange: (v: string) => void, type = "text", hint = "") => (
    <>
      <label htmlFor={id}>{label}</label>
      <input id={id} type={type} value={value} autoComplete={type === "password" ? "new-password" : id === "username" ? "username" : "off"} inputMode={type === "number" ? "decimal" : undefined}
        step="any" aria-invalid={fault(id) ? true : undefined} onChange={(e) => onChange(e.target.value)} onBlur={id === "latitude" || id === "longitude" ? () => void proposeZone() : undefined} />
      {hint && <span className="quiet block">{hint}</span>}
      {fault(id) && <span role="alert" className="error block">{fault(id)}</span>}
    </>
  );
  if (asked.isPending) return <main className="sign-in"><p>Opening the link…</p></main>;
  if (!asked.data) return <main className="sign-in"><p role="alert" className="error">{problemOf(asked.error)}</p></main>;
  const first = asked.data.first;
  return (
    <main className="sign-in">
      <div className="sign-in-card">
        <img src="/icon.svg" alt="" width="56" height="56" />
        <h1>Welcome to Tall Reed</h1>
        <p>{first ? "You are the first here and own this holding. Choose how you sign in, and say where the holding lies." : `You are asked in to ${asked.data.site} as ${asked.data.role}. Choose how you sign in.`}</p>
        <form onSubmit={(event) => { event.preventDefault(); void submit(); }}>
          {field("full_name", "Your name", form.full_name, (full_name) => setForm({ ...form, full_name }))}
          {field("username", "Name to sign in with", form.username, (username) => setForm({ ...form, username }))}
          {field("password", "Password", form.password, (password) => setForm({ ...form, password }), "password", "at least 8 characters")}
          {first && (
            <>
              {field("name", "Name of the holding", site.name, (name) => setSite({ ...site, name }))}
              {field("latitude", "Latitude, degrees north", site.latitude, (latitude) => setSite({ ...site, latitude }), "number", "south of the equator: negative")}
              {field("longitude", "Longitude, degrees east", site.longitude, (longitude) => setSite({ ...site, longitude }), "number", "west of Greenwich: negative")}
              {field("altitude_m", "Height above the sea, m", site.altitude_m, (altitude_m) => setSite({ ...site, altitude_m }), "number")}
              {field("time_zone", "Time zone", site.time_zone, (time_zone) => setSite({ ...site, time_zone }), "text", "proposed from the position")}
            </>
          )}
          {error !== null && !(error instanceof ApiError && error.errors.every((e) => document.getElementById(e.field))) && <p role="alert" className="error">{problemOf(error)}</p>}
          <button type="submit" className="button primary" disabled={busy}>{busy ? "Making it…" : first ? "Begin" : "Join"}</button>
        </form>
      </div>
    </main>
  );
}
