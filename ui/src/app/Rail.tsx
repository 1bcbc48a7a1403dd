import { useState } from "react";
import { Link } from "react-router";
import { useDossier } from "../api/queries";
import { Button } from "../parts/basics";
import { several } from "../parts/number";
import { GatesNow } from "./Gates";
import { useScope, writeAddress } from "./scope";
import { useSteps } from "./steps";
import { undo, useUndo } from "./undo";

const KEY = "skarlo-rail";
const folded = () => {
  try {
    return localStorage.getItem(KEY) === "folded";
  } catch {
    return false;
  }
};

/** What has been pinned so far. It folds away. */
export function Rail({ step, onPin }: { step: string; onPin: () => void }) {
  const scope = useScope();
  const { canPin, titleOf, entry } = useSteps();
  const wide = entry(step)?.wide ?? false;
  const [opened, setOpened] = useState("");
  const dossier = useDossier(scope.study.id).data;
  const [shut, setShut] = useState(folded);
  const last = useUndo();
  const fold = (value: boolean) => {
    setShut(value);
    try {
      localStorage.setItem(KEY, value ? "folded" : "open");
    } catch {
      // Not kept: the rail opens again next time.
    }
  };
  if (wide ? opened !== step : shut)
    return (
      <aside aria-label="Dossier" className="w-9 shrink-0 border-l border-rule bg-raised pt-3 text-center">
        <button
          type="button"
          aria-label="Unfold the dossier"
          className="text-soft hover:text-ink"
          onClick={() => (wide ? setOpened(step) : fold(false))}
        >
          «
        </button>
      </aside>
    );
  const exhibits = dossier?.exhibits ?? [];
  return (
    <aside aria-label="Dossier" className="w-[216px] shrink-0 border-l border-rule bg-raised flex flex-col min-h-0">
      <header className="flex items-baseline gap-2 px-3.5 pt-4 pb-2">
        <h2 className="text-lg flex-1">Dossier</h2>
        <span className="text-sm text-soft">{several(exhibits.length, "exhibit")}</span>
        <button
          type="button"
          aria-label="Fold the dossier away"
          className="text-soft hover:text-ink"
          onClick={() => (wide ? setOpened("") : fold(true))}
        >
          »
        </button>
      </header>
      <ol className="px-3.5 space-y-2 overflow-auto flex-1">
        {exhibits.map((e, i) => (
          <li key={e.id} className="border border-rule bg-sheet rounded-md px-2.5 py-2">
            <Link
              to={{
                pathname: `/studies/${scope.study.id}/${e.view}`,
                search: writeAddress(
                  {
                    split: e.scope.split,
                    show: e.scope.show,
                    cutoffs: { ...scope.cutoffs, ...e.scope.cutoffs },
                    of: e.scope.of || scope.of,
                    within: e.scope.within ?? {},
                    own: e.scope.own ?? {},
                  },
                  scope.study,
                ).toString(),
              }}
              className="block"
            >
              <span className="font-serif font-semibold leading-snug block line-clamp-3">
                {i + 1} · {e.caption || titleOf(e.view)}
              </span>
              <span className="text-xs text-soft">
                {titleOf(e.view)}, {e.scope.split}
              </span>
            </Link>
          </li>
        ))}
        {exhibits.length === 0 && (
          <li className="text-sm text-soft leading-snug">
            Nothing is pinned. A pinned view becomes an exhibit of the report, with the numbers it shows.
          </li>
        )}
      </ol>
      <GatesNow />
      <div className="px-3.5 pt-2.5 pb-3.5 space-y-2 border-t border-rule">
        {scope.mayWrite && canPin(step) && (
          <Button kind="strong" className="w-full" onClick={onPin}>
            Pin this view <span className="kbd">P</span>
          </Button>
        )}
        <Link
          to={{ pathname: `/studies/${scope.study.id}/dossier`, search: writeAddress(scope, scope.study).toString() }}
          className="block text-center underline underline-offset-2 px-2.5 py-1 hover:text-soft"
        >
          {scope.mayWrite ? "Open the dossier" : "Read the dossier"}
        </Link>
        {last && (
          <button type="button" className="text-sm text-soft link w-full text-left" onClick={() => void undo()}>
            <span className="kbd">u</span> undo {last}
          </button>
        )}
      </div>
    </aside>
  );
}
