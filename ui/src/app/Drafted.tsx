import { useSentence } from "../api/queries";
import { Fault, Sentence } from "../parts/basics";
import { useScope } from "./scope";
import type { View } from "./steps";

/** The drafted sentence at the top of a view, of exactly what the address says. */
export function Drafted({ view }: { view: View }) {
  const { study, split, show, query, many, of } = useScope();
  const lines = view === "matrix" ? (many ? 4 : 3) : view === "cutoff" ? 2 : 3;
  const asked = useSentence(study.id, { view, split, show, cutoffs: query, of: view === "curves" ? of : "" });
  if (asked.isError) return <Fault error={asked.error} again={() => void asked.refetch()} />;
  return (
    <Sentence pending={!asked.data || asked.isPlaceholderData} lines={lines}>
      {asked.data?.sentence}
    </Sentence>
  );
}
