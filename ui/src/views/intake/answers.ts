import type { Schemas } from "../../api/client";
import { columnOf, probabilitiesOf, sure, type Upload } from "./mapping";

/** What a person says of one candidate's file. */
export type Answers = {
  upload: Upload;
  name: string;
  id: string;
  kind: "score" | "probabilities" | "predicted";
  column: string;
  cutoff: string;
  runs_now: boolean;
  no_answer: "error" | "wrong" | "left_out";
  version: string;
  price: string;
  latency: string;
  reason: string;
  priced: string;
  made_with: Record<string, unknown>;
};

const MOST = 80; // characters of a name

/** A name for a candidate, from its file's. */
const nameOf = (file: string) =>
  file
    .replace(/(\.[a-z]+)+$/i, "")
    .replaceAll(/[_-]+/g, " ")
    .trim()
    .slice(0, MOST)
    .trim();

/** What a file of answers probably gives. `many`: the classes where there are three or more. */
export function answersOf(u: Upload, holdoutId: string, many: string[] | null): Answers {
  const { id, score, predicted } = u.guess;
  const read = score?.column ? score : predicted;
  const probable = many !== null && Object.keys(probabilitiesOf(u, many)).length === many.length;
  return {
    upload: u,
    name: nameOf(u.name),
    id: columnOf(u, holdoutId) ? holdoutId : (id?.column ?? ""),
    kind: many ? (probable ? "probabilities" : "predicted") : score?.column ? "score" : "predicted",
    column: sure(many ? predicted : read), // of several readings a person chooses one
    cutoff: "0.5",
    runs_now: false,
    no_answer: "error",
    version: "",
    price: "",
    latency: "",
    reason: sure(u.guess.reason),
    priced: sure(u.guess.price),
    made_with: {},
  };
}

/** Whether all is said that has to be. */
export const isSaid = (a: Answers, many: string[] | null): boolean =>
  a.name.trim() !== "" &&
  (a.kind === "probabilities"
    ? Object.keys(probabilitiesOf(a.upload, many ?? [])).length === many?.length
    : a.column !== "" && !(many && a.kind === "score"));

const amount = (text: string) => (text.trim() === "" ? null : Number(text));

/** How a candidate was made and what it costs, as the HTTP interface takes it. */
export const made = (a: Pick<Answers, "version" | "price" | "priced" | "reason" | "latency" | "made_with">) => ({
  version: a.version.trim() || null,
  reason: a.reason || null,
  price: a.priced || null,
  price_per_1000: a.priced ? null : amount(a.price),
  latency_ms: amount(a.latency),
  made_with: a.made_with,
});

/** A candidate as the HTTP interface takes it. */
export const entryOf = (a: Answers, holdoutId: string, many: string[] | null): Schemas["CandidateIn"] => ({
  upload: a.upload.id,
  name: a.name.trim(),
  id: holdoutId && a.id !== holdoutId ? a.id : null,
  score: a.kind === "score" ? a.column : null,
  predicted: a.kind === "predicted" ? a.column : null,
  probabilities: a.kind === "probabilities" ? probabilitiesOf(a.upload, many ?? []) : null,
  cutoff: a.kind === "score" ? Number(a.cutoff) : null,
  runs_now: a.runs_now,
  no_answer: a.no_answer,
  ...made(a),
});
