import { useSentence } from "../api/queries";
import { Fault, Sentence } from "../parts/basics";
import { type Shown, useScope } from "./scope";
import type { View } from "./steps";

const MOST_NAMED = 4; // of each of its parts; of more candidates it says how many others
const A_LINE = 100; // characters
const SHORT = 18; // a name that the usual room is made for

/** The lines that long names and rows without an answer take besides, so that what stands below does not move when the sentence comes. */
function beyond(view: View, chosen: Shown[]): number {
  const long = chosen.slice(0, MOST_NAMED).reduce((sum, c) => sum + Math.max(0, c.name.length - SHORT), 0);
  const unanswered = view === "matrix" && chosen.some((c) => c.part.no_answer > 0) ? 1 : 0;
  return unanswered + Math.ceil(((view === "cutoff" ? 1 : 2) * long) / A_LINE);
}

/** The drafted sentence at the top of a view, of exactly what the address says. */
export function Drafted({ view }: { view: View }) {
  const { study, split, show, query, slice, many, of, chosen } = useScope();
  const lines = (view === "matrix" ? (many ? 4 : 3) : view === "cutoff" ? 2 : 3) + beyond(view, chosen);
  const asked = useSentence(study.id, {
    view,
    split,
    show,
    cutoffs: query,
    of: view === "curves" ? of : "",
    within: slice,
  });
  if (asked.isError) return <Fault error={asked.error} again={() => void asked.refetch()} />;
  return (
    <Sentence pending={!asked.data || asked.isPlaceholderData} lines={lines}>
      {asked.data?.sentence}
    </Sentence>
  );
}
