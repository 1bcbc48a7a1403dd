import createClient, { type Middleware } from "openapi-fetch";
import { follow, type Job } from "./jobs";
import type { components, operations, paths } from "./schema";

export type Schemas = components["schemas"];
export type Study = Schemas["StudyOut"];
export type PartKind = operations["readParts"]["parameters"]["query"]["kinds"][number];
/** Some parts of the results, the head among them. */
export type Parts = Schemas["Parts"];
export type Metric = Schemas["Metric"];
export type Dossier = Schemas["DossierOut"];
export type Revision = Schemas["RevisionOut"];
export type Session = Schemas["SessionOut"];

/** What the server refused, as problem details (RFC 9457). */
export class ProblemError extends Error {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly problems: string[] = [],
    readonly count = 0,
  ) {
    super(detail);
  }
}

let token = "";

/** The token that every change carries; each answer about the session brings the current one. */
export function takeToken(session: Session): Session {
  token = session.csrf;
  return session;
}

/** Which page asks: a newer request for the same part of it stops the work for an older one. */
const PAGE = crypto.getRandomValues(new Uint32Array(2)).join("-");
let turn = 0; // requests may arrive in another order than they were sent in
/** Of what nobody looks at yet: it stops nothing. */
export const AHEAD = { "X-Page": "" };

const changes: Middleware = {
  onRequest({ request }) {
    if (!request.headers.has("X-Page")) request.headers.set("X-Page", `${PAGE} ${++turn}`);
    if (request.method !== "GET") request.headers.set("X-CSRFToken", token);
    return request;
  },
};

export const api = createClient<paths>({ baseUrl: "/" });
api.use(changes);

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, waited for if it takes long; what the server refused is thrown as a ProblemError.
 * `quiet`: nobody waits for it yet, so no work in progress is shown. */
export async function got<T>(answer: Promise<Answer<T>>, quiet = false): Promise<Exclude<T, Job>> {
  const { data, error, response } = await answer.catch(() => {
    throw new ProblemError(0, "The server does not answer. Is it still running?");
  });
  if (response.status === 202) return await outcome<Exclude<T, Job>>(data as Job, quiet);
  if (response.ok && data !== undefined) return data as Exclude<T, Job>;
  throw problemOf(response.status, error);
}

/** What long work gives, once it is done. */
const outcome = async <T>(job: Job, quiet = false): Promise<T> => got<T>(fetched<T>(await whereOf(job, quiet)));

/** Where that is, once it is. */
async function whereOf(job: Job, quiet = false): Promise<string> {
  const read = async (id: string) => {
    const { data } = await api.GET("/api/v1/jobs/{job_id}", { params: { path: { job_id: id } } });
    return data;
  };
  const ended = await follow(job, read, { quiet });
  if (ended?.problem) throw problemOf(ended.problem.status, ended.problem);
  if (ended?.state === "stopped") throw new ProblemError(409, "You stopped this. Nothing of it is kept.");
  const then = ended?.then ?? job.then;
  if (!then) throw new ProblemError(0, "The server restarted. Check whether the change was saved, or try again.");
  return then;
}

async function fetched<T>(path: string, init?: RequestInit): Promise<Answer<T>> {
  const response = await fetch(path, init);
  const body: unknown = await response.json().catch(() => undefined);
  return response.ok ? { data: body as T, response } : { error: body, response };
}

/** Stop long work; it ends before its next step. */
export const stop = (job: Job) => got(api.DELETE("/api/v1/jobs/{job_id}", { params: { path: { job_id: job.id } } }));

export function problemOf(status: number, body: unknown): ProblemError {
  const problem = (typeof body === "object" && body ? body : {}) as Partial<Schemas["Problem"]>;
  const lines = (problem.problems ?? []).map((p) => String(p.line ?? ""));
  return new ProblemError(status, problem.detail ?? `The server answered ${status}.`, lines, problem.count ?? 0);
}

/** Send a file up, with progress from 0 to 1. */
export function upload(
  file: File,
  onProgress: (share: number) => void,
  stop?: AbortSignal,
): Promise<Schemas["UploadOut"]> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    stop?.addEventListener("abort", () => request.abort());
    request.onabort = () => reject(new ProblemError(0, `${file.name}: cancelled, and nothing of it is kept.`));
    request.open("POST", `/api/v1/uploads?name=${encodeURIComponent(file.name)}`);
    request.setRequestHeader("X-CSRFToken", token);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.onload = () => {
      let body: unknown;
      try {
        body = JSON.parse(request.responseText);
      } catch {
        body = undefined;
      }
      if (request.status === 201) resolve(body as Schemas["UploadOut"]);
      else if (request.status === 202) resolve(outcome<Schemas["UploadOut"]>(body as Job));
      else reject(problemOf(request.status, body));
    };
    request.onerror = () => reject(new ProblemError(0, "The upload was interrupted. Send the file again."));
    request.send(file);
  });
}

const send = <T>(path: string, file: File) =>
  got(
    fetched<T | Job>(`/api/v1/${path}?name=${encodeURIComponent(file.name)}`, {
      method: "POST",
      headers: { "X-CSRFToken": token, "Content-Type": "application/octet-stream" },
      body: file,
    }),
  ) as Promise<T>;

/** A study from a zip with study.toml and its files. */
export const importStudy = (file: File) => send<Study>("imports", file);

/** The pictures of a study's rows, from a zip. */
export const keepPictures = (id: number, file: File) =>
  got(
    fetched<Study | Job>(`/api/v1/studies/${id}/pictures`, {
      method: "PUT",
      headers: { "X-CSRFToken": token, "Content-Type": "application/octet-stream" },
      body: file,
    }),
  ) as Promise<Study>;

/** Where the picture of a row is. */
export const pictureAt = (id: number, name: string, of: string) =>
  `/api/v1/studies/${id}/picture?name=${encodeURIComponent(name)}&of=${of}`;

type AskedOf = Record<string, string | number | boolean | string[]>;

function queryOf(asked: AskedOf) {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(asked))
    for (const one of Array.isArray(value) ? value : [value]) query.append(name, String(one));
  return query;
}

/** The bytes of a map. */
export async function mapBytes(id: number, asked: Record<string, string | number | string[]>, signal: AbortSignal) {
  const query = queryOf(asked);
  const read = (path: string) =>
    fetch(path, { signal }).catch((e: unknown) => {
      if (signal.aborted) throw e;
      throw new ProblemError(0, "The server does not answer. Is it still running?");
    });
  const first = await read(`/api/v1/studies/${id}/map?${query}`);
  const response = first.status === 202 ? await read(await whereOf((await first.json()) as Job)) : first;
  if (response.ok) return await response.arrayBuffer();
  throw problemOf(response.status, await response.json().catch(() => null));
}

/** Where the rows of a filter are saved from as CSV. */
export const rowsCsvAt = (id: number, asked: AskedOf) => `/api/v1/studies/${id}/rows.csv?${queryOf(asked)}`;

/** Where a map is saved from as SVG, as it stands in a report. */
export const mapSvgAt = (id: number, asked: AskedOf) => `/api/v1/studies/${id}/map.svg?${queryOf(asked)}`;

/** How a candidate was made, from TOML or JSON. */
export const readMadeWith = (file: File) => send<Schemas["MadeWithOut"]>("made-with", file);
