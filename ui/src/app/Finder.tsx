import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { useStudies } from "../api/queries";
import { Modal } from "../parts/Modal";
import { useScope, writeAddress } from "./scope";
import { useSteps } from "./steps";

type Found = { text: string; kind: string; go: () => void };

/** Find a view, a study or a candidate by typing part of its name. */
export function Finder({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const scope = useScope();
  const steps = useSteps();
  const navigate = useNavigate();
  const studies = useStudies().data?.studies;
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const everything = useMemo((): Found[] => {
    const search = writeAddress(scope, scope.study).toString();
    return [
      ...steps.open.map((s) => ({
        text: steps.titleOf(s),
        kind: "view",
        go: () => void navigate({ pathname: `/studies/${scope.study.id}/${s}`, search }),
      })),
      ...scope.study.candidates.map((c) => ({
        text: `${c.letter} ${c.name}`,
        kind: "candidate: show it alone",
        go: () => scope.go({ show: [c.position] }),
      })),
      ...(studies ?? []).map((s) => ({
        text: s.title,
        kind: "study",
        go: () => void navigate(`/studies/${s.id}`),
      })),
    ];
  }, [scope, steps, studies, navigate]);
  const found = everything.filter((f) => f.text.toLowerCase().includes(typed.trim().toLowerCase())).slice(0, 12);
  const take = (item?: Found) => {
    if (!item) return;
    onOpenChange(false);
    setTyped("");
    setAt(0);
    item.go();
  };
  return (
    <Modal open={open} onOpenChange={onOpenChange} title="Find">
      <input
        aria-label="Part of a name"
        className="field"
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(at + 1, found.length - 1));
          else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
          else if (e.key === "Enter") take(found[at]);
          else return;
          e.preventDefault();
        }}
      />
      <ul className="mt-2">
        {found.map((f, i) => (
          <li key={`${f.kind} ${f.text}`}>
            <button
              type="button"
              className={`w-full flex gap-3 text-left rounded-md px-2 py-1.5 ${i === at ? "bg-light" : "hover:bg-light"}`}
              onClick={() => take(f)}
            >
              <span className="flex-1 truncate">{f.text}</span>
              <span className="text-soft text-sm">{f.kind}</span>
            </button>
          </li>
        ))}
        {found.length === 0 && <li className="px-2 py-1.5 text-soft">Nothing is called that.</li>}
      </ul>
    </Modal>
  );
}
