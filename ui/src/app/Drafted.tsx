import { useSentence } from "../api/queries";
import { Fault, Sentence } from "../parts/basics";
import { type Shown, useScope } from "./scope";
import { type Says, useSteps, type View } from "./steps";

const MOST_NAMED = 4; // of each of its parts; of more candidates it says how many others. One alone is a quarter
const A_LINE = 100; // characters
const SHORT = 18; // a name that the usual room is made for

/** The lines that long names and rows without an answer take besides, so that what stands below does not move when the sentence comes. */
function beyond({ names = 2, unanswered = false }: Says, chosen: Shown[]): number {
  const long = chosen.slice(0, MOST_NAMED).reduce((sum, c) => sum + Math.max(0, c.name.length - SHORT), 0);
  const more = unanswered && chosen.some((c) => c.part.no_answer > 0) ? 1 : 0;
  return more + Math.ceil((names * long) / A_LINE);
}

const USUAL: Says = { lines: () => 3 };

/** The drafted sentence at the top of a view, of exactly what the address says. */
export function Drafted({ view }: { view: View }) {
  const { study, split, show, query, slice, many, of, chosen, own } = useScope();
  const says = useSteps().entry(view)?.says ?? USUAL;
  const lines = says.lines(many) + beyond(says, chosen);
  const asked = useSentence(study.id, {
    view,
    split,
    show,
    cutoffs: query,
    of: says.ofClass ? of : "",
    within: slice,
    own: (says.own ?? []).flatMap((key) => (own[key] === undefined ? [] : [`${key}=${own[key]}`])),
  });
  if (asked.isError) return <Fault error={asked.error} again={() => void asked.refetch()} />;
  return (
    <Sentence pending={!asked.data || asked.isPlaceholderData} lines={lines}>
      {asked.data?.sentence}
    </Sentence>
  );
}
