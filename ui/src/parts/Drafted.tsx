import { useSentence } from "../api/queries";
import { useScope } from "../app/scope";
import type { View } from "../app/steps";
import { Fault, Sentence } from "./basics";

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
