import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, problemOf, take, type NodeOut, type WiringSheet } from "../../api/client";
import type { StageProps } from "../../frame/Frame";
import { fixed } from "../../units/format";

/** One page a node for the person on the ladder: printed in black and white by the browser. */
export default function SheetPart({ nodes, node }: StageProps & { nodes: NodeOut[]; node: number }) {
  const [, setSearch] = useSearchParams();
  const speaking = nodes.filter((n) => n.kind !== "gateway");
  const id = speaking.find((n) => n.id === node)?.id ?? speaking[0]?.id ?? 0;
  const sheet = useQuery({ queryKey: ["sheet", id], enabled: id > 0, queryFn: () => take(api.GET("/api/nodes/{node_id}/sheet/", { params: { path: { node_id: id } } })) });
  if (id === 0) return <><h1>Wiring sheets</h1><p className="lead">No node yet: add one, and its sheet is here to print.</p></>;
  return (
    <>
      <div className="no-print sheet-choice">
        <label>Sheet of <select value={id} onChange={(e) => setSearch({ part: "sheet", node: e.target.value })}>{speaking.map((n) => <option key={n.id} value={n.id}>{n.name}</option>)}</select></label>
        <button type="button" className="button primary" onClick={() => window.print()}>Print it</button>
      </div>
      {sheet.isError && <p role="alert" className="error">{problemOf(sheet.error)}</p>}
      {sheet.data && <Sheet sheet={sheet.data} />}
    </>
  );
}

function Sheet({ sheet: s }: { sheet: WiringSheet }) {
  const row = (r: WiringSheet["sensors"][number]) => (
    <tr key={r.terminal}>
      <td className="box" aria-label="tick when done">☐</td>
      <th scope="row">{r.terminal}</th>
      <td><b>{r.what}</b><span className="block">{r.where}</span>{r.notes.map((n) => <span key={n} className="block strong">{n}</span>)}</td>
      <td>{r.depth}</td>
      <td>{r.register}<span className="block">{r.input}</span></td>
      <td className="colours">+ ______ − ______<br />A ______ B ______</td>
      <td>{r.probe !== null && <img src={`/api/probes/${r.probe}/code.svg`} width="74" height="74" alt={`Code that opens the page of ${r.where}`} />}</td>
    </tr>
  );
  return (
    <article className="wiring" aria-label={`Wiring sheet of ${s.node}`}>
      <h1>{s.node}</h1>
      <p className="wiring-head">
        {s.site}. {s.kind}, {s.address}, bus address <b>{s.device_id}</b>, <b>{s.baud}</b> baud, supply <b>{fixed(s.supply_v, 0)} V</b>, cable {s.cable_m === null ? "______" : fixed(s.cable_m, 0)} m. Fitted by ____________________ on ____________
      </p>
      <table className="plain-table">
        <caption>Sensors</caption>
        <thead><tr><th scope="col">Done</th><th scope="col">Terminal</th><th scope="col">Sensor</th><th scope="col">Place</th><th scope="col">Link</th><th scope="col">Wire colours</th><th scope="col">Its page</th></tr></thead>
        <tbody>{s.sensors.map(row)}</tbody>
      </table>
      {s.actuators.length > 0 && (
        <table className="plain-table">
          <caption>Valves and pumps</caption>
          <thead><tr><th scope="col">Done</th><th scope="col">Terminal</th><th scope="col">Device</th><th scope="col">Place</th><th scope="col">Link</th><th scope="col">Wire colours</th><th scope="col"><span className="visually-hidden">Page</span></th></tr></thead>
          <tbody>{s.actuators.map(row)}</tbody>
        </table>
      )}
      <svg viewBox="0 0 640 96" className="drip-line" role="img" aria-label="Probe with its electronics above the water line, the cable in a drip loop below its gland">
        <rect x="40" y="40" width="180" height="50" fill="none" stroke="#000" strokeWidth="2" />
        <path d="M0 36 H640" stroke="#000" strokeDasharray="8 6" strokeWidth="1.6" /><text x="640" y="54" textAnchor="end" fontSize="14">keep the electronics above this line</text>
        <rect x="112" y="8" width="24" height="30" fill="#000" /><path d="M118 38 v34 M124 38 v34 M130 38 v34" stroke="#000" strokeWidth="2.4" />
        <path d="M124 8 C124 -8 280 0 300 60 S340 90 360 40 V14" fill="none" stroke="#000" strokeWidth="2.4" /><rect x="344" y="2" width="90" height="28" fill="none" stroke="#000" strokeWidth="2" /><text x="389" y="21" textAnchor="middle" fontSize="13">box</text>
        <text x="318" y="92" fontSize="13">drip loop</text>
      </svg>
      <ul>{s.cautions.map((c) => <li key={c}>{c}</li>)}</ul>
    </article>
  );
}
