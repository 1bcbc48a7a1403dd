import {
  keepPreviousData,
  QueryCache,
  QueryClient,
  queryOptions,
  useIsMutating,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import {
  AHEAD,
  api,
  type Dossier,
  got,
  mapBytes,
  type PartKind,
  type Parts,
  ProblemError,
  type Schemas,
  type Study,
  takeToken,
} from "./client";
import { decode } from "./mapped";

export const client = new QueryClient({
  queryCache: new QueryCache({
    // signed out elsewhere, or for twelve hours here: the page asks who is signed in, and then to sign in
    onError: (e) => {
      if (e instanceof ProblemError && e.status === 401)
        void client.invalidateQueries({ queryKey: ["session"] }, { cancelRefetch: false });
    },
  }),
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (n, e) => n < 2 && !(e instanceof ProblemError && e.status >= 400),
      refetchOnWindowFocus: false,
    },
  },
});

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    // let go of when somebody signs in or out meanwhile: its token would be of the one before
    queryFn: async ({ signal }) => takeToken(await got(api.GET("/api/v1/session", { signal }))),
  });

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

export type PartsAsked = {
  kinds: readonly PartKind[];
  split: string;
  cutoffs: string;
  within: string[];
  /** Of slices: by which fields, each with its cut. */
  fields?: string[];
  /** Of a sweep: how far apart its cutoffs are. */
  step?: number;
  /** Of what is restated: for which share of positives. */
  baseRate?: number;
  /** Of areas: how far a part of the ROC area goes. */
  upTo?: number;
  /** Of what lies around a band for review: its ends. */
  band?: [number, number];
  /** Of the cost, also of what is restated: of a needless flag, a miss, a catch and a row rightly left. */
  prices?: [number, number, number, number];
  /** Of cells: the positions of two candidates, the second taken off the first. */
  pair?: [number, number];
  /** Of what is merged: for each class the group it goes to. */
  merge?: number[];
  /** Of what is withheld: by position the probability that answers have at least. */
  least?: string;
  /** Of groups treated alike: the class that is read against the rest; what cutoffs for each group are to do, and how
   * far apart a rate may lie then. */
  of?: string;
  rule?: Schemas["GroupCutoffs"]["rule"];
  gap_at_most?: number;
  /** Of labels that may be wrong: how many at most (0: as many as are beyond what is expected), turned or dropped, and
   * the mark of the rows meant in place of those listed. */
  at_most?: number;
  how?: "flipped" | "dropped";
  mark?: string;
};

/**
 * Some parts of the results at the given cutoffs. Until they are there, the newest of the same parts at other cutoffs
 * stand in their place (`isPlaceholderData`). What nobody on the page waits for any more is let go of.
 */
const partsOf = (id: number, asked: PartsAsked, quiet = false) => {
  const { kinds, split, cutoffs, within, step, baseRate, upTo, ...several } = asked;
  const key = ["parts", id, kinds.join(), split, within, step, baseRate, upTo, several];
  const rates = { ...(baseRate ? { base_rate: baseRate } : {}), ...(upTo ? { fpr_at_most: upTo } : {}) };
  const more = { ...(step ? { step } : {}), ...rates, ...several };
  return queryOptions<Parts>({
    queryKey: [...key, cutoffs],
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/v1/studies/{study_id}/parts", {
          params: { ...at(id), query: { kinds: [...kinds], split, cutoffs, within, ...more } },
          signal,
          ...(quiet ? { headers: AHEAD } : {}),
        }),
        quiet,
      ),
    placeholderData: () => newest<Parts>(key),
  });
};

/** The data that came last of all under a key. */
const newest = <T>(queryKey: readonly unknown[]) =>
  client
    .getQueryCache()
    .findAll({ queryKey })
    .filter((q) => q.state.data !== undefined)
    .sort((a, b) => b.state.dataUpdatedAt - a.state.dataUpdatedAt)[0]?.state.data as T | undefined;

/** Nothing is asked for where `asked` is null. */
export const useParts = (id: number, asked: PartsAsked | null) =>
  useQuery({ ...partsOf(id, asked ?? { kinds: [], split: "", cutoffs: "", within: [] }), enabled: asked !== null });

/** Have parts at hand before anybody looks at them. */
export const prefetchParts = (id: number, asked: PartsAsked) => client.prefetchQuery(partsOf(id, asked, true));

export const useFields = (id: number) =>
  useQuery({
    queryKey: ["fields", id],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/fields", { params: at(id) })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useFindings = (id: number, cutoffs: string) =>
  useQuery({
    queryKey: ["findings", id, cutoffs],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/findings", { params: at(id) })),
    placeholderData: keepPreviousData,
  });

export const explain = (id: number, key: string, text: string) =>
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

export type ScopeQuery = {
  view: Schemas["ExhibitOut"]["view"];
  split: string;
  show: number[];
  cutoffs: string;
  of: string;
  within: string[];
  /** The view's own choices that its sentence follows. */
  own: string[];
};

/** The sentence of a view; `isPlaceholderData` while it is still the one of another scope. */
export const useSentence = (id: number, query: ScopeQuery) =>
  useQuery({
    queryKey: ["sentence", id, query],
    queryFn: ({ signal }) =>
      got(api.GET("/api/v1/studies/{study_id}/sentence", { params: { ...at(id), query }, signal })),
    placeholderData: keepPreviousData,
  });

export const useDraft = (id: number) =>
  useMutation({
    mutationFn: () => got(api.GET("/api/v1/studies/{study_id}/dossier/draft", { params: at(id) })),
  });

/** `of`: of three classes or more, of which class's answers; of the largest probability where it is empty. */
export const useTallies = (id: number, split: string, within: string[], of = "") =>
  useQuery({
    queryKey: ["tallies", id, split, within, of],
    queryFn: () =>
      got(api.GET("/api/v1/studies/{study_id}/tallies", { params: { ...at(id), query: { split, within, of } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export type RowsAsked = {
  split: string;
  within: string[];
  cutoffs: string;
  /** Of any class where it is left out. */
  actual?: string;
  candidate?: number;
  /** Empty for no answer; of any class where it is left out. */
  predicted?: string;
  count?: number;
  sort?: string;
  down?: boolean;
  start?: number;
  condition?: string;
};

/** Some rows of the study, of all that are as asked. */
export const useRows = (id: number, query: RowsAsked | undefined) =>
  useQuery({
    queryKey: ["rows", id, query],
    queryFn: ({ signal }) => got(api.GET("/api/v1/studies/{study_id}/rows", { params: { ...at(id), query }, signal })),
    enabled: query !== undefined,
    placeholderData: keepPreviousData,
  });

/** The pages of rows from one to another, each kept apart; a row by its place, once it is there. */
export function useRowPages(id: number, asked: RowsAsked, from: number, to: number, size: number) {
  const pages = Array.from({ length: to - from + 1 }, (_, k) => from + k);
  const found = useQueries({
    queries: pages.map((page) => {
      const query = { ...asked, start: page * size, count: size };
      return {
        queryKey: ["rows", id, query],
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          got(api.GET("/api/v1/studies/{study_id}/rows", { params: { ...at(id), query }, signal })),
        retry: false,
      };
    }),
  });
  return (index: number) => found[Math.floor(index / size) - from]?.data?.rows[index % size];
}

/** The marks of a study, with how many rows bear each. */
export const useMarks = (id: number) =>
  useQuery({
    queryKey: ["marks", id],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/marks", { params: at(id) })),
  });

/** Put a mark on a row or take it off, and write its note. */
export function useMarking(id: number) {
  const queries = useQueryClient();
  const told = (marks: Schemas["MarksOut"]) => {
    queries.setQueryData(["marks", id], marks);
    void queries.invalidateQueries({ queryKey: ["rows", id] });
    // and of what is evaluated what reads marks
    const reads = /":named"|"mark"/;
    void queries.invalidateQueries({
      predicate: ({ queryKey: [what, of, ...asked] }) =>
        what === "parts" && of === id && reads.test(JSON.stringify(asked)),
    });
  };
  const path = (row: number) => ({ path: { study_id: id, row } });
  const mark = useMutation({
    mutationFn: ({ row, mark, on }: { row: number; mark: string; on: boolean }) =>
      got(api.PUT("/api/v1/studies/{study_id}/rows/{row}/marks", { params: path(row), body: { mark, on } })),
    onSuccess: told,
  });
  const say = useMutation({
    mutationFn: ({ row, text }: { row: number; text: string }) =>
      got(api.PUT("/api/v1/studies/{study_id}/rows/{row}/note", { params: path(row), body: { text } })),
    onSuccess: told,
  });
  const markAll = useMutation({
    mutationFn: (body: { mark: string; rows: number[] }) =>
      got(api.PUT("/api/v1/studies/{study_id}/marks", { params: at(id), body })),
    onSuccess: told,
  });
  return { mark, markAll, say };
}

/** A map of the rows; nothing is asked for where `asked` is null. */
export const useMap = (id: number, asked: Record<string, string | number | string[]> | null) =>
  useQuery({
    queryKey: ["map", id, asked],
    queryFn: async ({ signal }) => decode(await mapBytes(id, asked ?? {}, signal)),
    enabled: asked !== null,
    structuralSharing: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });

/** Some rows, chosen by eye, against the others of a split; nothing is asked for where there are none. */
export const useInside = (id: number, asked: { split: string; cutoffs: string; within: string[] }, rows: number[]) =>
  useQuery({
    queryKey: ["inside", id, asked, rows.length, rows[0], rows.at(-1), rows.reduce((a, b) => (a * 31 + b) | 0, 7)],
    queryFn: () =>
      got(api.POST("/api/v1/studies/{study_id}/inside", { params: { ...at(id), query: asked }, body: { rows } })),
    enabled: rows.length > 0,
    placeholderData: (old) => (rows.length > 0 ? old : undefined),
  });

export type WorstAsked = {
  candidate: number;
  cutoffs: string;
  within: string[];
  depth: number;
  metric?: string;
  loss?: string;
  of?: string;
};

/** The slices that a candidate serves worst; a search that takes long tells how far it is. */
export const useWorst = (id: number, asked: WorstAsked | null) =>
  useQuery({
    queryKey: ["worst", id, asked],
    queryFn: ({ signal }) => {
      const query = asked ?? { candidate: 0, cutoffs: "", within: [], depth: 1 };
      return got(api.GET("/api/v1/studies/{study_id}/worst", { params: { ...at(id), query }, signal }));
    },
    enabled: asked !== null,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });

type NearestAsked = {
  row: number;
  split: string;
  cutoffs: string;
  candidate: number;
  count: number;
  by?: "fields" | "embedding";
};

/** The rows to which a candidate answers another class, the closest first. */
export const useNearest = (id: number, asked: NearestAsked | null) =>
  useQuery({
    queryKey: ["nearest", id, asked],
    queryFn: ({ signal }) => {
      const { row, ...query }: NearestAsked = asked ?? { row: 0, split: "", cutoffs: "", candidate: 0, count: 1 };
      const params = { path: { study_id: id, row }, query };
      return got(api.GET("/api/v1/studies/{study_id}/rows/{row}/nearest", { params, signal }));
    },
    enabled: asked !== null,
  });

/** What a number is of besides its candidate and split, and what it was asked for with. */
export type Besides = { of?: string; band?: number[]; prices?: number[]; least?: string; base_rate?: number };

export const useUnfolded = (
  id: number,
  query: { candidate: string; split: string; metric: string; cutoffs: string; within: string[] } & Besides,
  on: boolean,
) =>
  useQuery({
    queryKey: ["unfold", id, query],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/unfold", { params: { ...at(id), query } })),
    enabled: on,
  });

/** What reproduces a number that was got elsewhere. */
export const useAnother = (
  id: number,
  query: { candidate: string; split: string; value: string; cutoffs: string; within: string[] },
) =>
  useQuery({
    queryKey: ["another", id, query],
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/another", { params: { ...at(id), query } })),
    enabled: query.value !== "",
    retry: false,
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
    onSuccess: (dossier) => {
      queries.setQueryData(["dossier", id], dossier);
    },
    onError: () => void queries.invalidateQueries({ queryKey: ["dossier", id] }),
  });
}

/** Whether changes to the dossier are still on their way. */
export const useDossierSaving = (id: number) => useIsMutating({ mutationKey: ["dossier", id] }) > 0;

type Exhibit = Schemas["ExhibitIn"];

const known = (id: number) => client.getQueryData<Dossier>(["dossier", id]);

/**
 * Change the dossier from the state that is shown. Where it was changed meanwhile, the newer state takes its place; if
 * what this change starts from is still as it was, it is made all the same, and otherwise refused: nobody's words go
 * over another's unseen.
 */
async function conditionally(
  id: number,
  same: (newer: Dossier) => boolean,
  send: (etag: string) => Promise<Dossier>,
): Promise<Dossier> {
  const etag = (dossier: Dossier | undefined) => `"${dossier?.number ?? 0}"`;
  try {
    return await send(etag(known(id)));
  } catch (e) {
    if (!(e instanceof ProblemError && e.status === 412)) throw e;
    const newer = await got(api.GET("/api/v1/studies/{study_id}/dossier", { params: at(id) }));
    client.setQueryData(["dossier", id], newer);
    if (!same(newer)) throw e;
    return await send(etag(newer));
  }
}

type Change = Schemas["DossierIn"];

export const dossierCalls = (id: number) => ({
  pin: (body: Omit<Exhibit, "caption"> & { caption?: string }) =>
    got(
      api.POST("/api/v1/studies/{study_id}/exhibits", {
        params: at(id),
        body: { ...body, caption: body.caption ?? "" },
      }),
    ),
  /** `from`: what the fields held when they were changed. */
  change: ({ to, from }: { to: Change; from: Change }) =>
    conditionally(
      id,
      (newer) =>
        (Object.keys(from) as (keyof Change)[]).every(
          (key) => JSON.stringify(newer[key]) === JSON.stringify(from[key]),
        ),
      (etag) =>
        got(
          api.PATCH("/api/v1/studies/{study_id}/dossier", {
            params: at(id),
            headers: { "If-Match": etag },
            body: to,
          }),
        ),
    ),
  caption: ({ exhibit, caption, from }: { exhibit: number; caption: string; from: string }) =>
    conditionally(
      id,
      (newer) => newer.exhibits.some((e) => e.id === exhibit && e.caption === from),
      (etag) =>
        got(
          api.PATCH("/api/v1/studies/{study_id}/exhibits/{exhibit_id}", {
            params: { path: { study_id: id, exhibit_id: exhibit } },
            headers: { "If-Match": etag },
            body: { caption },
          }),
        ),
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

type Rule = Schemas["RuleIn"];

/** Choose all cutoffs by a rule, on tuning where there is such a split. */
export function useRuleChoosing(id: number) {
  const queries = useQueryClient();
  return useMutation({
    scope: { id: `cutoffs-${id}` },
    mutationFn: (body: Rule) => got(api.PUT("/api/v1/studies/{study_id}/cutoffs", { params: at(id), body })),
    onSuccess: ({ study }) => {
      queries.setQueryData(["study", id], study);
      for (const key of ["dossier", "findings"]) void queries.invalidateQueries({ queryKey: [key, id] });
    },
  });
}

/** Take a candidate along recalibrated, as a candidate of its own. */
export function useRecalibrating(id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ position, method }: { position: number; method: string }) =>
      got(
        api.POST("/api/v1/studies/{study_id}/candidates/{position}/recalibrated", {
          params: { path: { study_id: id, position } },
          body: { method: method as Schemas["RecalibrationIn"]["method"] },
        }),
      ),
    onSuccess: (study: Study) => {
      queries.setQueryData(["study", id], study);
      void queries.invalidateQueries({ queryKey: ["findings", id] });
    },
  });
}

/** Keep for the study what stands on screen where nobody chooses otherwise. */
export function useShownKeeping(id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["ShownIn"]) =>
      got(api.PUT("/api/v1/studies/{study_id}/shown", { params: at(id), body })),
    onSuccess: (study: Study) => {
      queries.setQueryData(["study", id], study);
    },
  });
}

/** The same parts of several splits. */
export const useSplits = (id: number, splits: string[], asked: Omit<PartsAsked, "split"> | null) =>
  useQueries({
    queries: splits.map((split) => ({
      ...partsOf(id, { kinds: [], cutoffs: "", within: [], ...asked, split }),
      enabled: asked !== null,
    })),
  });

/** Keep a cutoff; one goes after another, in the order they were set. */
export function useCutoffKeeping(id: number) {
  const queries = useQueryClient();
  return useMutation({
    scope: { id: `cutoffs-${id}` },
    mutationFn: ({ position, ...body }: { position: number; value: number; chosen_on: string }) =>
      got(
        api.PUT("/api/v1/studies/{study_id}/candidates/{position}/cutoff", {
          params: { path: { study_id: id, position } },
          body,
        }),
      ),
    onSuccess: (study: Study) => {
      queries.setQueryData(["study", id], study);
      for (const key of ["dossier", "findings"]) void queries.invalidateQueries({ queryKey: [key, id] });
    },
  });
}

/** A change to a study's candidates; the answer is the whole study, and its numbers are read anew. */
export function useChange(id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (change: () => Promise<Study>) => change(),
    onSuccess: (study) => {
      queries.setQueryData(["study", id], study);
      for (const key of [
        "parts",
        "fields",
        "findings",
        "tallies",
        "sentence",
        "unfold",
        "dossier",
        "rows",
        "map",
        "inside",
      ])
        void queries.invalidateQueries({ queryKey: [key, id] });
    },
  });
}
