import { useState } from "react";
import { readMadeWith } from "../../api/client";
import { Fault } from "../../parts/basics";
import { Entry } from "../../parts/Entry";
import type { Answers } from "./answers";
import type { Upload } from "./mapping";
import { Pick as PickOne } from "./Pick";

type Made = Pick<Answers, "version" | "price" | "priced" | "reason" | "latency" | "made_with">;
type Props = { u: Upload; value: Made; onChange: (change: Partial<Made>) => void };

const AMOUNT = { type: "number", min: "0", step: "any" };

const written = (x: Record<string, unknown>) =>
  Object.entries(x)
    .map(([k, v]) => `${k} = ${typeof v === "string" ? v : JSON.stringify(v)}`)
    .join("\n");

/** Lines of name = value, as a person types them. */
function read(text: string): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const line of text.split("\n")) {
    const [name = "", ...rest] = line.split("=");
    const value = rest.join("=").trim();
    if (!name.trim() || !value) continue;
    try {
      out[name.trim()] = JSON.parse(value);
    } catch {
      out[name.trim()] = value;
    }
  }
  return out;
}

/** How a candidate was made (typed in, or read from TOML or JSON), its version, and what it costs to run. */
export function MadeWith({ u, value, onChange }: Props) {
  const [text, setText] = useState(written(value.made_with));
  const [fault, setFault] = useState<unknown>(null);
  const take = async (file: File) => {
    setFault(null);
    try {
      const { made_with } = await readMadeWith(file);
      setText(written(made_with));
      onChange({ made_with });
    } catch (e) {
      setFault(e);
    }
  };
  return (
    <div className="grid grid-cols-3 gap-3 mt-1">
      <PickOne
        label="Stated reason"
        value={value.reason}
        options={u.columns.map((c) => c.name)}
        none="none"
        guess={u.guess.reason}
        onPick={(reason) => onChange({ reason })}
      />
      <PickOne
        label="Price of each answer"
        value={value.priced}
        options={u.columns.filter((c) => c.numeric).map((c) => c.name)}
        none="no column"
        guess={u.guess.price}
        onPick={(priced) => onChange({ priced })}
      />
      <Entry label="Version" value={value.version} onSay={(version) => onChange({ version })} />
      {!value.priced && (
        <Entry label="Price per 1,000 rows" value={value.price} onSay={(price) => onChange({ price })} {...AMOUNT} />
      )}
      <Entry label="Latency, ms a row" value={value.latency} onSay={(latency) => onChange({ latency })} {...AMOUNT} />
      <label className="block col-span-2">
        <span className="block text-soft">Made with, a line each: name = value</span>
        <textarea
          className="field font-mono h-20"
          placeholder={"code = a1b2c3\ntrained = 2026-03-01"}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            onChange({ made_with: read(e.target.value) });
          }}
        />
      </label>
      <label className="block">
        <span className="block text-soft">or from TOML or JSON</span>
        <input
          type="file"
          aria-label="How it was made, as TOML or JSON"
          accept=".toml,.json"
          className="text-sm w-full"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void take(file);
          }}
        />
      </label>
      <div className="col-span-3">
        <Fault error={fault} />
      </div>
    </div>
  );
}
