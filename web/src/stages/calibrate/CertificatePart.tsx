import { useQuery } from "@tanstack/react-query";
import { api, problemOf, take } from "../../api/client";
import { CurveDrawing, Residuals } from "../../drawings/CalibrationLine";
import { clock, dayName, fixed } from "../../units/format";

/** Everything a calibration stands on, on one page to print. */
export default function CertificatePart({ version, zone }: { version: number; zone: string }) {
  const found = useQuery({ queryKey: ["certificate", version], queryFn: () => take(api.GET("/api/calibrations/{version_id}/certificate/", { params: { path: { version_id: version } } })) });
  if (found.isError) return <p role="alert" className="error">{problemOf(found.error)}</p>;
  const c = found.data;
  if (!c) return <p className="quiet">Fetching the certificate…</p>;
  const v = c.version;
  const water = v.gives === "theta";
  const scale = water ? 100 : 1;
  const unit = water ? "% v/v" : "";
  const points = v.points as { x: number; y: number | null; noise: number; kind: string; at: string; by: string; residual: number; inputs: Record<string, unknown> }[];
  const at = (time: string) => `${dayName(time, zone)} ${new Date(time).getFullYear()}, ${clock(time, zone)}`;
  return (
    <article className="certificate">
      <div className="no-print actions"><button type="button" className="button" onClick={() => window.print()}>Print it</button></div>
      <h1>Calibration certificate, {c.name}</h1>
      <p className="lead">Version {v.number}, {v.method_name}{v.provisional ? ", provisional" : ""}. {c.in_force ? "In force." : v.reverted_at ? `Taken out of force ${at(v.reverted_at)}.` : "No longer in force."}</p>
      <dl className="facts-list">
        <div><dt>Where</dt><dd>{c.where}, {c.site}</dd></div>
        <div><dt>Valid from</dt><dd>{at(v.valid_from)}</dd></div>
        <div><dt>Published</dt><dd>{at(v.published_at)}, {v.published_by}</dd></div>
        <div><dt>Next due</dt><dd>{at(c.due_at)}, sooner if a check asks for it</dd></div>
        <div><dt>Valid for readings</dt><dd>{fixed(v.low, v.high > 200 ? 0 : 2)} to {fixed(v.high, v.high > 200 ? 0 : 2)}; outside it extrapolates and says so</dd></div>
        <div><dt>Curve</dt><dd className="mono">{c.expression}; {c.coefficients.slice(0, 4).map((k) => k.toPrecision(6)).join(", ")}{c.coefficients.length > 4 ? ", …" : ""}</dd></div>
        <div><dt>Error</dt><dd>{v.rmse === null ? "a straight line through its points; a third point would show an error" : `${fixed(v.rmse * scale, 2)} ${water ? "points" : ""} about its points${c.loo_rmse === null ? "" : `; a left-out point is foretold to ${fixed(c.loo_rmse * scale, 2)}`}`}</dd></div>
        <div><dt>Resolves</dt><dd>{v.resolution === null ? "–" : `${fixed(v.resolution, 2)} ${water ? "points of water content" : ""}`} (scatter {fixed(c.noise_raw, c.noise_raw > 1 ? 0 : 3)})</dd></div>
        {Object.entries(c.figures).map(([k, value]) => <div key={k}><dt>{k.replaceAll("_", " ")}</dt><dd>{fixed(value, 3)}</dd></div>)}
      </dl>
      <p>{v.words} {c.why}</p>
      <CurveDrawing points={points.flatMap((p) => (p.y === null ? [] : [{ x: p.x, y: p.y, noise: p.noise }]))} draft={null} earlier={[v]} now={null} unit="reading" gives={unit || v.gives.replaceAll("_", " ")} percent={water} />
      {points.length > 2 && <><h2>What the curve leaves over</h2><Residuals points={points} unit={water ? "points" : ""} scale={scale} /></>}
      {points.length > 0 && (
        <table className="plain-table">
          <caption>Points</caption>
          <thead><tr><th scope="col">Captured</th><th scope="col">As</th><th scope="col">Reading</th><th scope="col">Scatter</th><th scope="col">Worth</th><th scope="col">Left over</th><th scope="col">By</th></tr></thead>
          <tbody>{points.map((p) => <tr key={p.at}><td>{at(p.at)}</td><td>{p.kind}</td><td className="mono">{fixed(p.x, p.x > 200 ? 0 : 3)}</td><td className="mono">{fixed(p.noise, p.noise > 1 ? 0 : 3)}</td><td>{fixed(p.y === null ? null : p.y * scale, 2)} {unit}</td><td>{fixed(p.residual * scale, 2)}</td><td>{p.by}</td></tr>)}</tbody>
        </table>
      )}
      <p className="quiet">{c.cautions.join(" ")} Issued {at(c.now)} from the record of {c.site}.</p>
    </article>
  );
}
