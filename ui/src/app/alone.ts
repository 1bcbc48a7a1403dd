import { lasting } from "../parts/conditions";
import { useScope } from "./scope";

/** Rows of a condition as the scope of every view: whether they can be, being the same at every cutoff; and to make
 * them so, among those that are read already. `own`: what the view is to keep of its own state, all if left out. */
export function useAlone() {
  const { study, go } = useScope();
  const moving = study.candidates.flatMap((c) => (c.cutoff === null ? [] : [c.letter, c.name]));
  const alone = Object.entries(study.conditions).flatMap(([name, c]) => (c.alone ? [name] : []));
  return {
    can: (condition: string) => condition !== "" && lasting(condition, moving, alone),
    read: (condition: string, own?: Record<string, string>) =>
      go(({ within }) => ({
        within: { ...within, "": within[""] ? `(${within[""]}) and (${condition})` : condition },
        ...(own ? { own } : {}),
      })),
  };
}
