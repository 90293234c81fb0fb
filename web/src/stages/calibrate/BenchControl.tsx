import { useQuery } from "@tanstack/react-query";
import { api, problemOf, take, type BenchHands } from "../../api/client";
import { useChange } from "../../api/queries";

const PLACES = [
  { place: "dry_mix", label: "in dry mix" },
  { place: "drained_mix", label: "in soaked and drained mix" },
  { place: "air", label: "in air" },
  { place: "water", label: "in water" },
  { place: "bed", label: "back in the bed" },
] as const;

/** The stand-in's hands: puts the simulated probe somewhere. Only the demo has it. */
export function BenchControl({ probe }: { probe: number }) {
  const path = { params: { path: { probe_id: probe } } };
  const place = useQuery({ queryKey: ["place", probe], queryFn: () => take(api.GET("/api/demo/probes/{probe_id}/", path)) });
  const move = useChange(
    (to: (typeof PLACES)[number]["place"]) => take(api.POST("/api/demo/probes/{probe_id}/place/", { ...path, body: { place: to } })),
    "place", "bench",
  );
  return (
    <fieldset className="bench-control">
      <legend>Demo bench: put the probe</legend>
      {PLACES.map((p) => (
        <button key={p.place} type="button" aria-pressed={place.data?.place === p.place} disabled={move.isPending} onClick={() => move.mutate(p.place)}>
          {p.label}
        </button>
      ))}
      {move.isError && <p role="alert" className="error">{problemOf(move.error)}</p>}
    </fieldset>
  );
}

/** The same hands for sensors of a stand-in node that someone added; several at once in a batch. */
export function StandinHands({ hands, also = [] }: { hands: BenchHands; also?: number[] }) {
  const move = useChange(
    (place: string) => Promise.all([hands.channel, ...also].map((channel) => take(api.POST("/api/channels/{channel_id}/standin-place/", { params: { path: { channel_id: channel } }, body: { place } })))),
    "bench", "batch", "probes",
  );
  const here = move.isPending ? move.variables : hands.place;
  return (
    <fieldset className="bench-control">
      <legend>Stand-in: put {also.length ? "them" : "it"}</legend>
      {hands.choices.map((c) => (
        <button key={c.place} type="button" aria-pressed={here === c.place} disabled={move.isPending} onClick={() => move.mutate(c.place)}>{c.label}</button>
      ))}
      {move.isError && <p role="alert" className="error">{problemOf(move.error)}</p>}
    </fieldset>
  );
}
