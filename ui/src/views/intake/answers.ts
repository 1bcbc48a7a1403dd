import type { Schemas } from "../../api/client";
import { columnOf, probabilitiesOf, sure, type Upload } from "./mapping";

/** What a person says of one candidate's file. */
export type Answers = {
  upload: Upload;
  name: string;
  id: string;
  kind: "score" | "probabilities" | "label";
  column: string;
  cutoff: string;
  in_use: boolean;
  no_answer: "error" | "wrong" | "left_out";
  version: string;
  price: string;
  latency: string;
  reason: string;
  priced: string;
  made_with: Record<string, unknown>;
};

/** What a file of answers probably gives. `many`: the classes where there are three or more. */
export function answersOf(u: Upload, holdoutId: string, many: string[] | null): Answers {
  const { id, score, label } = u.guess;
  const read = score?.column ? score : label;
  const probable = many !== null && Object.keys(probabilitiesOf(u, many)).length === many.length;
  return {
    upload: u,
    name: u.name.replace(/(\.[a-z]+)+$/i, "").replaceAll(/[_-]+/g, " "),
    id: columnOf(u, holdoutId) ? holdoutId : (id?.column ?? ""),
    kind: many ? (probable ? "probabilities" : "label") : score?.column ? "score" : "label",
    column: sure(many ? label : read), // of several readings a person chooses one
    cutoff: "0.5",
    in_use: false,
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
  label: a.kind === "label" ? a.column : null,
  probabilities: a.kind === "probabilities" ? probabilitiesOf(a.upload, many ?? []) : null,
  cutoff: a.kind === "score" ? Number(a.cutoff) : null,
  in_use: a.in_use,
  no_answer: a.no_answer,
  ...made(a),
});
