import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Programme } from "./client";

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => take(api.GET("/api/session/")), staleTime: Infinity });

export const useWatch = (site: number) =>
  useQuery({ queryKey: ["watch", site], queryFn: () => take(api.GET("/api/sites/{site_id}/watch/", { params: { path: { site_id: site } } })) });

export const useLines = (site: number) =>
  useQuery({
    queryKey: ["lines", site],
    queryFn: () => take(api.GET("/api/sites/{site_id}/watch/lines/", { params: { path: { site_id: site } } })),
    staleTime: 10_000,
  });

export const useRibbon = (bed: number) =>
  useQuery({ queryKey: ["ribbon", bed], queryFn: () => take(api.GET("/api/beds/{bed_id}/ribbon/", { params: { path: { bed_id: bed } } })) });

export const useDays = (bed: number) =>
  useQuery({ queryKey: ["days", bed], queryFn: () => take(api.GET("/api/beds/{bed_id}/days/", { params: { path: { bed_id: bed } } })) });

export const useSlip = (site: number, bed: number | null) =>
  useQuery({
    queryKey: ["slip", site, bed],
    queryFn: () =>
      take(api.GET("/api/sites/{site_id}/slip/", { params: { path: { site_id: site }, query: bed === null ? {} : { bed } } })),
  });

export const useProbes = (site: number) =>
  useQuery({ queryKey: ["probes", site], queryFn: () => take(api.GET("/api/sites/{site_id}/probes/", { params: { path: { site_id: site } } })) });

/** What a bench is of: a channel, or a doser. */
export type Target = { kind: "channel" | "doser"; id: number };

export const useBench = (target: Target, method: string, form: string) =>
  useQuery({
    queryKey: ["bench", target.kind, target.id, method, form],
    queryFn: () =>
      target.kind === "doser"
        ? take(api.GET("/api/dosers/{actuator_id}/bench/", { params: { path: { actuator_id: target.id } } }))
        : take(api.GET("/api/channels/{channel_id}/bench/", { params: { path: { channel_id: target.id }, query: { ...(method ? { method } : {}), ...(form ? { form } : {}) } } })),
    refetchInterval: 2_000,
    placeholderData: (previous) => (previous?.id === target.id ? previous : undefined),
  });

export const useToCalibrate = (site: number) =>
  useQuery({ queryKey: ["calibrate", site], queryFn: () => take(api.GET("/api/sites/{site_id}/calibrate/", { params: { path: { site_id: site } } })) });

export const useTrust = (channel: number) =>
  useQuery({ queryKey: ["trust", channel], queryFn: () => take(api.GET("/api/channels/{channel_id}/trust/", { params: { path: { channel_id: channel } } })) });

export const useRecord = (channel: number, days: number, hide: boolean) =>
  useQuery({
    queryKey: ["record", channel, days, hide],
    queryFn: () => take(api.GET("/api/channels/{channel_id}/record/", { params: { path: { channel_id: channel }, query: { days, ...(hide ? { hide: "1" } : {}) } } })),
    placeholderData: (previous) => previous,
  });

export const useJob = (job: number) =>
  useQuery({
    queryKey: ["job", job],
    queryFn: () => take(api.GET("/api/jobs/{job_id}/", { params: { path: { job_id: job } } })),
    refetchInterval: (query) => (query.state.data?.finished_at ? false : 1_500),
  });

export const useProgramme = (bed: number) =>
  useQuery({ queryKey: ["programme", bed], queryFn: () => take(api.GET("/api/beds/{bed_id}/programme/", { params: { path: { bed_id: bed } } })) });

export const useLayout = (site: number) =>
  useQuery({ queryKey: ["layout", site], queryFn: () => take(api.GET("/api/sites/{site_id}/layout/", { params: { path: { site_id: site } } })) });

export const useNodes = (site: number) =>
  useQuery({ queryKey: ["nodes", site], queryFn: () => take(api.GET("/api/sites/{site_id}/nodes/", { params: { path: { site_id: site } } })) });

export const usePlumbing = (site: number) =>
  useQuery({ queryKey: ["plumbing", site], queryFn: () => take(api.GET("/api/sites/{site_id}/plumbing/", { params: { path: { site_id: site } } })) });

export const useMedia = (site: number) =>
  useQuery({ queryKey: ["media", site], queryFn: () => take(api.GET("/api/sites/{site_id}/media/", { params: { path: { site_id: site } } })) });

export const useCatalogue = () => useQuery({ queryKey: ["catalogue"], queryFn: () => take(api.GET("/api/catalogue/")), staleTime: Infinity });

export const useElectrics = (site: number) =>
  useQuery({ queryKey: ["electrics", site], queryFn: () => take(api.GET("/api/sites/{site_id}/electrics/", { params: { path: { site_id: site } } })) });

/** A day or a week under a programme that is not published, in a kind of weather or a recorded day. */
export const useTried = (bed: number, body: Programme, weather: string, span: "day" | "week") =>
  useQuery({
    queryKey: ["tried", bed, weather, span, body],
    queryFn: ({ signal }) => take(api.POST("/api/beds/{bed_id}/programme/simulate/", { params: { path: { bed_id: bed } }, body: { body, weather, span }, signal })),
    placeholderData: (previous) => previous,
    staleTime: 60_000,
    retry: false,
  });

export const useChecked = (bed: number, body: Programme) =>
  useQuery({
    queryKey: ["checked", bed, body],
    queryFn: ({ signal }) => take(api.POST("/api/beds/{bed_id}/programme/check/", { params: { path: { bed_id: bed } }, body: { body, number: 0 }, signal })),
    placeholderData: (previous) => previous,
    staleTime: 60_000,
    retry: false,
  });

export const useRecordedDays = (bed: number) =>
  useQuery({ queryKey: ["recorded", bed], queryFn: () => take(api.GET("/api/beds/{bed_id}/programme/recorded/", { params: { path: { bed_id: bed } } })), staleTime: 60_000 });

export const useShared = (site: number) =>
  useQuery({ queryKey: ["shared", site], queryFn: () => take(api.GET("/api/sites/{site_id}/shared-programmes/", { params: { path: { site_id: site } } })) });

export const useDevices = (site: number) =>
  useQuery({ queryKey: ["devices", site], queryFn: () => take(api.GET("/api/sites/{site_id}/devices/", { params: { path: { site_id: site } } })), refetchInterval: 10_000 });

export const usePlan = (site: number) =>
  useQuery({ queryKey: ["plan", site], queryFn: () => take(api.GET("/api/sites/{site_id}/plan/", { params: { path: { site_id: site } } })) });

export const useDrills = () => useQuery({ queryKey: ["drills"], queryFn: () => take(api.GET("/api/drills/")) });

export const useWhy = (bed: number, at: string | null) =>
  useQuery({ queryKey: ["why", bed, at], enabled: at !== null, queryFn: () => take(api.GET("/api/beds/{bed_id}/why/", { params: { path: { bed_id: bed }, query: { at: at ?? "" } } })), placeholderData: (p) => p });

export const usePumpLines = (site: number) =>
  useQuery({ queryKey: ["pump-lines", site], queryFn: () => take(api.GET("/api/sites/{site_id}/pump-lines/", { params: { path: { site_id: site } } })), refetchInterval: 10_000 });

/** A change on the server, after which the named queries are read anew. */
export function useChange<Input, Output>(change: (input: Input) => Promise<Output>, ...renew: string[]) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: async () => {
      await Promise.all(renew.map((key) => client.invalidateQueries({ queryKey: [key] })));
    },
  });
}
