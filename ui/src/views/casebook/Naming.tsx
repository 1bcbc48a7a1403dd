import { useState } from "react";
import { api, got } from "../../api/client";
import { useChange } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Button, Fault } from "../../parts/basics";
import { quoted } from "../../parts/conditions";
import { Modal } from "../../parts/Modal";
import { day } from "../../parts/number";

type Props = {
  /** What is to be named; and whose answers it means where it does not say. */
  condition: string;
  candidate: number | undefined;
  onChoose: (condition: string) => void;
  onDone: () => void;
};

/** Call a condition by a name, as it follows the data or with the rows of today; and those that have a name. */
export function Naming({ condition, candidate, onChoose, onDone }: Props) {
  const { study, query, mayWrite } = useScope();
  const [name, setName] = useState("");
  const [keep, setKeep] = useState(false);
  const change = useChange(study.id);
  const path = (called: string) => ({ study_id: study.id, name: called });
  const at = "/api/v1/studies/{study_id}/conditions/{name}" as const;
  const put = () =>
    change.mutateAsync(() =>
      got(
        api.PUT(at, {
          params: { path: path(name.trim()), query: { cutoffs: query } },
          body: { where: condition, keep, ...(candidate === undefined ? {} : { candidate }) },
        }),
      ),
    );
  const every = Object.entries(study.conditions);
  return (
    <Modal open onOpenChange={(open) => !open && onDone()} title="Named conditions">
      {every.length > 0 && (
        <ul className="mb-3 text-sm">
          {every.map(([called, c]) => (
            <li key={called} className="flex items-baseline gap-3 border-b border-light py-1" data-named={called}>
              <span className="flex-1 min-w-0 break-words">
                <b className="font-semibold">{called}</b>: {c.where}
                {c.kept && <span className="text-soft">, rows of {day(c.kept)}</span>}
              </span>
              <button
                type="button"
                className="link"
                onClick={() => {
                  onChoose(c.kept ? `named ${quoted(called)}` : c.where);
                  onDone();
                }}
              >
                find
              </button>
              {mayWrite && (
                <Button
                  kind="bare"
                  className="text-sm"
                  aria-label={`Take the name ${called} away`}
                  disabled={change.isPending}
                  onClick={() => change.mutate(() => got(api.DELETE(at, { params: { path: path(called) } })))}
                >
                  Take away
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {mayWrite && condition && (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void put()
              .then(onDone)
              .catch(() => undefined);
          }}
        >
          <p className="text-sm mb-2 break-words">{condition}</p>
          <label className="block text-sm text-soft" htmlFor="condition-name">
            Name
          </label>
          <input
            id="condition-name"
            className="field w-full"
            maxLength={60}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <label className="flex items-baseline gap-2 mt-2 text-sm">
            <input type="checkbox" checked={keep} onChange={(e) => setKeep(e.target.checked)} />
            <span>keep the rows of today, in every split, whatever becomes of the fields and the answers</span>
          </label>
          <p className="text-sm text-soft mt-2">
            It is a slice from then on, gates of a study file may be read on it, and it goes along with the saved study.
          </p>
          <Fault error={change.error} />
          <Button type="submit" className="mt-3" disabled={!name.trim() || change.isPending}>
            {change.isPending
              ? "Reading with it …"
              : name.trim() in study.conditions
                ? "Name it so instead"
                : "Name it"}
          </Button>
        </form>
      )}
    </Modal>
  );
}
