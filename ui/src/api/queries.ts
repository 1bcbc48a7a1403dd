import {
  keepPreviousData,
  QueryClient,
  useIsMutating,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { api, type Dossier, got, ProblemError, type Schemas, type Study, takeToken } from "./client";

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (n, e) => n < 2 && !(e instanceof ProblemError && e.status >= 400),
      refetchOnWindowFocus: false,
    },
  },
});

export const useSession = () =>
  useQuery({ queryKey: ["session"], queryFn: async () => takeToken(await got(api.GET("/api/v1/session"))) });

export const useStudies = () =>
  useQuery({ queryKey: ["studies"], queryFn: () => got(api.GET("/api/v1/studies")), staleTime: 0 });

export const useDeleted = () =>
  useQuery({ queryKey: ["deleted"], queryFn: () => got(api.GET("/api/v1/deleted")), staleTime: 0 });

const at = (study_id: number) => ({ path: { study_id } });

export const useStudy = (id: number) =>
  useQuery({
    queryKey: ["study", id],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}", { params: at(id) })),
  });

/** The results at the given cutoffs; the last ones stay on screen until the new ones are there. */
export const useResults = (id: number, cutoffs: string | null) =>
  useQuery({
    queryKey: ["results", id, cutoffs],
    enabled: cutoffs !== null,
    queryFn: () =>
      got(api.GET("/api/v1/studies/{study_id}/results", { params: { ...at(id), query: { cutoffs: cutoffs ?? "" } } })),
    placeholderData: keepPreviousData,
  });

export const useLook = (id: number) =>
  useQuery({
    queryKey: ["look", id],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/look", { params: at(id) })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useFindings = (id: number, cutoffs: string) =>
  useQuery({
    queryKey: ["findings", id, cutoffs],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/findings", { params: at(id) })),
    placeholderData: keepPreviousData,
  });

export const sayWord = (id: number, key: string, text: string) =>
  got(
    api.PUT("/api/v1/studies/{study_id}/findings/{key}", { params: { path: { study_id: id, key } }, body: { text } }),
  );

export type JoinQuery = { holdout: number; holdout_id: string; answers: number; answers_id: string };

export const useJoin = (query: JoinQuery | null) =>
  useQuery({
    queryKey: ["join", query],
    enabled: query !== null,
    queryFn: () => got(api.GET("/api/v1/joins", { params: { query: query as JoinQuery } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export type ScopeQuery = { view: Schemas["ExhibitOut"]["view"]; split: string; show: number[]; cutoffs: string };

export const useSentence = (id: number, query: ScopeQuery) =>
  useQuery({
    queryKey: ["sentence", id, query],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/sentence", { params: { ...at(id), query } })),
    placeholderData: keepPreviousData,
  });

export const useTallies = (id: number, split: string) =>
  useQuery({
    queryKey: ["tallies", id, split],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/tallies", { params: { ...at(id), query: { split } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useExplanation = (
  id: number,
  query: { candidate: string; split: string; metric: string; cutoffs: string },
  on: boolean,
) =>
  useQuery({
    queryKey: ["explain", id, query],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/explain", { params: { ...at(id), query } })),
    enabled: on,
  });

export const useDossier = (id: number) =>
  useQuery({
    queryKey: ["dossier", id],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/dossier", { params: at(id) })),
  });

/** A change to the dossier; every answer is the whole dossier, which replaces the one shown. One goes after another. */
export function useDossierChange<T>(id: number, change: (input: T) => Promise<Dossier>) {
  const queries = useQueryClient();
  return useMutation({
    mutationKey: ["dossier", id],
    scope: { id: `dossier-${id}` },
    mutationFn: change,
    onSuccess: (dossier) => queries.setQueryData(["dossier", id], dossier),
  });
}

/** Whether changes to the dossier are still on their way. */
export const useDossierSaving = (id: number) => useIsMutating({ mutationKey: ["dossier", id] }) > 0;

type Exhibit = Schemas["ExhibitIn"];

export const dossierCalls = (id: number) => ({
  pin: (body: Omit<Exhibit, "caption"> & { caption?: string }) =>
    got(
      api.POST("/api/v1/studies/{study_id}/exhibits", {
        params: at(id),
        body: { ...body, caption: body.caption ?? "" },
      }),
    ),
  change: (body: Schemas["DossierIn"]) =>
    got(api.PATCH("/api/v1/studies/{study_id}/dossier", { params: at(id), body })),
  caption: ({ exhibit, caption }: { exhibit: number; caption: string }) =>
    got(
      api.PATCH("/api/v1/studies/{study_id}/exhibits/{exhibit_id}", {
        params: { path: { study_id: id, exhibit_id: exhibit } },
        body: { caption },
      }),
    ),
  unpin: (exhibit: number) =>
    got(
      api.DELETE("/api/v1/studies/{study_id}/exhibits/{exhibit_id}", {
        params: { path: { study_id: id, exhibit_id: exhibit } },
      }),
    ),
  reorder: (order: number[]) =>
    got(api.PUT("/api/v1/studies/{study_id}/exhibits", { params: at(id), body: { order } })),
});

export const keepCutoff = (id: number, position: number, value: number, chosen_on: string | null): Promise<Study> =>
  got(
    api.PUT("/api/v1/studies/{study_id}/candidates/{position}/cutoff", {
      params: { path: { study_id: id, position } },
      body: { value, chosen_on },
    }),
  );
