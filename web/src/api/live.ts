import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** Which queries each topic of the server's stream makes stale, and how often they may be read again at most (ms). */
const STALE: Record<string, string[]> = {
  readings: ["watch", "bench", "batch", "nodes", "ribbon", "lines", "proof"],
  watering: ["watch", "slip", "ribbon", "lines", "programme", "actuator-proof"],
  places: ["layout", "watch", "programme", "plumbing", "media", "payback", "people", "cups"],
  fitting: ["nodes", "proof", "electrics", "sheet", "placement"],
  bus: ["bus"],
  calibration: ["bench", "batch", "calibrate", "trust", "record", "probes", "watch", "place", "ribbon", "lines"],
  notes: ["slip"],
  clock: ["watch"],
  jobs: ["job", "days"],
};
const AT_MOST_EVERY: Record<string, number> = { watch: 700, bench: 700, batch: 1_000, calibrate: 3_000, nodes: 2_000, proof: 900, "actuator-proof": 500, plumbing: 1_500, ribbon: 2_500, lines: 15_000, slip: 1_000 };
const POLL_MS = 3_000;

export type Link = "live" | "polling";

class Renewer {
  private readonly last = new Map<string, number>();
  private readonly waiting = new Map<string, number>();

  constructor(private readonly client: QueryClient) {}

  renew(key: string): void {
    if (this.waiting.has(key)) return;
    const due = (this.last.get(key) ?? 0) + (AT_MOST_EVERY[key] ?? 500);
    const wait = Math.max(0, due - Date.now());
    this.waiting.set(
      key,
      window.setTimeout(() => {
        this.waiting.delete(key);
        this.last.set(key, Date.now());
        void this.client.invalidateQueries({ queryKey: [key] }, { cancelRefetch: false });
      }, wait),
    );
  }

  stop(): void {
    this.waiting.forEach((timer) => window.clearTimeout(timer));
    this.waiting.clear();
  }
}

/** Follow the site's stream; while it is broken, ask every three seconds instead. */
export function useLive(site: number): Link {
  const client = useQueryClient();
  const [link, setLink] = useState<Link>("polling");
  useEffect(() => {
    const renewer = new Renewer(client);
    const source = new EventSource(`/api/sites/${site}/live/`);
    let open = false;
    const topics = (names: string[]) => {
      const keys = names.includes("all") ? Object.values(STALE).flat() : names.flatMap((n) => STALE[n] ?? []);
      new Set(keys).forEach((key) => renewer.renew(key));
    };
    source.onopen = () => {
      open = true;
      setLink("live");
    };
    source.onerror = () => {
      open = false;
      setLink("polling");
    };
    source.onmessage = (event: MessageEvent<string>) => topics((JSON.parse(event.data) as { topics: string[] }).topics);
    const poll = window.setInterval(() => {
      if (!open) topics(["readings", "watering", "notes"]);
    }, POLL_MS);
    return () => {
      source.close();
      window.clearInterval(poll);
      renewer.stop();
    };
  }, [client, site]);
  return link;
}
