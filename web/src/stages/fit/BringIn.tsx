import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take } from "../../api/client";
import { useJob } from "../../api/queries";

const cookie = () => document.cookie.split("; ").find((c) => c.startsWith("csrftoken="))?.slice(10) ?? "";

/** A file of readings: sent in one stream with its progress, taken in by the worker with its own, both stoppable. */
export function BringIn({ site }: { site: number }) {
  const [sent, setSent] = useState<number | null>(null);
  const [job, setJob] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const [request, setRequest] = useState<XMLHttpRequest | null>(null);
  const send = (file: File) => {
    const xhr = new XMLHttpRequest();
    setProblem("");
    setJob(null);
    setSent(0);
    setRequest(xhr);
    xhr.open("POST", `/api/sites/${site}/readings/upload/`);
    xhr.setRequestHeader("Content-Type", "text/csv");
    xhr.setRequestHeader("X-CSRFToken", cookie());
    xhr.setRequestHeader("X-File-Name", encodeURIComponent(file.name));
    xhr.upload.onprogress = (e) => setSent(e.total > 0 ? e.loaded / e.total : 0);
    xhr.onload = () => {
      setSent(null);
      setRequest(null);
      const body = JSON.parse(xhr.responseText || "{}") as { job?: number; errors?: { message: string }[] };
      if (xhr.status === 201 && body.job) setJob(body.job);
      else setProblem(body.errors?.map((e) => e.message).join(" ") ?? `The server answered ${xhr.status}.`);
    };
    xhr.onerror = () => { setSent(null); setRequest(null); setProblem("The file did not get through. Nothing of it is kept; send it again."); };
    xhr.onabort = () => { setSent(null); setRequest(null); };
    xhr.send(file);
  };
  return (
    <section className="bring-in" aria-label="Bring in a file">
      <h2>Bring in a file</h2>
      <p className="quiet">A CSV with a header of time, channel and value; times with their offset from UTC, channels by number or name. Up to 50 MB; a file sent twice changes nothing.</p>
      {sent === null && <input type="file" accept=".csv,text/csv,text/plain" aria-label="File of readings" onChange={(e) => { const file = e.target.files?.[0]; if (file) send(file); e.target.value = ""; }} />}
      {sent !== null && <p role="status">Sending, {Math.round(sent * 100)} %. <progress value={sent} max={1} aria-label="Sent" /> <button type="button" className="quiet-button" onClick={() => request?.abort()}>stop sending</button></p>}
      {problem && <p role="alert" className="error">{problem}</p>}
      {job !== null && <TakingIn job={job} />}
    </section>
  );
}

function TakingIn({ job }: { job: number }) {
  const state = useJob(job);
  const stop = useMutation({ mutationFn: () => take(api.POST("/api/jobs/{job_id}/cancel/", { params: { path: { job_id: job } } })) });
  if (!state.data) return null;
  const { state: how, done, total, message } = state.data;
  return (
    <p role="status">
      {how === "done" ? message : how === "failed" ? `It could not be read: ${message}` : how === "cancelled" ? "Stopped. What was taken in until then is kept." : (
        <>Taking it in, {Math.round((100 * done) / Math.max(1, total))} %; you may leave this page. <progress value={done} max={total} aria-label="Taken in" /> <button type="button" className="quiet-button" onClick={() => stop.mutate()}>stop</button></>
      )}
      {stop.isError && problemOf(stop.error)}
    </p>
  );
}
