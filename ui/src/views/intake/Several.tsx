import { useState } from "react";
import { api, got } from "../../api/client";
import { Button, Fault } from "../../parts/basics";
import { several } from "../../parts/number";
import type { Upload } from "./mapping";
import { Take } from "./Take";

type Props = { first: Upload; onTaken: (u: Upload) => void; onBusy: (busy: boolean) => void };
const stem = (name: string) => name.replace(/(\.[a-z]+)+$/i, "").replace(/^.*[-_ ](?=test|tun|val|dev|train)/i, "");

/** A hold-out in several files, one for each split, put together. */
export function Several({ first, onTaken, onBusy }: Props) {
  const [parts, setParts] = useState<{ u: Upload; split: string }[] | null>(null);
  const [fault, setFault] = useState<unknown>(null);
  if (parts === null)
    return (
      <Button
        kind="bare"
        className="text-sm text-soft"
        onClick={() => setParts([{ u: first, split: stem(first.name) }])}
      >
        The hold-out has a file for each split
      </Button>
    );
  const names = parts.map((p) => p.split.trim());
  const ready = parts.length > 1 && names.every(Boolean) && new Set(names).size === names.length;
  const join = async () => {
    setFault(null);
    try {
      const body = { parts: Object.fromEntries(parts.map((p) => [p.split.trim(), p.u.id])) };
      onTaken(await got(api.POST("/api/v1/uploads/stack", { body })));
    } catch (e) {
      setFault(e);
    }
  };
  return (
    <div className="border-l-[3px] border-rule pl-3 mt-2">
      {parts.map((p, i) => (
        <label key={p.u.id} className="flex items-center gap-3 text-sm mt-1">
          <span className="w-64 truncate">
            {p.u.name}, {several(p.u.rows, "row")}
          </span>
          is the split
          <input
            aria-label={`Split of ${p.u.name}`}
            className="field py-0.5 w-40"
            value={p.split}
            onChange={(e) => setParts(parts.map((q, k) => (k === i ? { ...q, split: e.target.value } : q)))}
          />
        </label>
      ))}
      <Take
        label="File of another split"
        hint="with the same columns"
        onBusy={onBusy}
        onTaken={(u) => setParts((old) => [...(old ?? []), { u, split: stem(u.name) }])}
      />
      <Fault error={fault} />
      <Button disabled={!ready} className="mt-1" onClick={() => void join()}>
        Put them together
      </Button>
    </div>
  );
}
