import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { explain, useFindings } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Button, Fault } from "../../parts/basics";
import { Findings } from "../../parts/Findings";
import { several } from "../../parts/number";

type Finding = Schemas["Answered"];

/** What was noticed; a warning needs an explanation, which goes into the report. */
export function Noticed() {
  const { study, query } = useScope();
  const found = useFindings(study.id, query).data?.findings ?? [];
  const open = found.filter((f) => f.level === "warning" && !f.word).length;
  return (
    <Findings
      list={found}
      aside={
        open > 0 && (
          <span className="text-sm text-ink font-normal font-sans">
            {" "}
            · {several(open, "warning needs", "warnings need")} an explanation
          </span>
        )
      }
      below={(f) => f.level === "warning" && <Word finding={f} />}
    />
  );
}

function Word({ finding }: { finding: Finding }) {
  const { study, query, mayWrite } = useScope();
  const queries = useQueryClient();
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState<unknown>(null);
  const keep = async () => {
    try {
      queries.setQueryData(["findings", study.id, query], await explain(study.id, finding.key, text ?? ""));
      void queries.invalidateQueries({ queryKey: ["dossier", study.id] });
      setText(null);
      setFault(null);
    } catch (e) {
      setFault(e);
    }
  };
  if (text === null)
    return (
      <p className="mt-1">
        {finding.word && (
          <span>
            <b className="font-semibold">{finding.by}:</b> {finding.word}{" "}
          </span>
        )}
        {mayWrite && (
          <button
            type="button"
            className="text-sm underline underline-offset-2"
            onClick={() => setText(finding.word ?? "")}
          >
            {finding.word ? "change" : "Explain why this is acceptable"}
          </button>
        )}
      </p>
    );
  return (
    <div className="mt-1.5">
      <textarea
        aria-label={`Why this is acceptable: ${finding.code}`}
        className="field h-16"
        ref={(field) => field?.focus()}
        maxLength={2000}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <div className="flex gap-2 mt-1">
        <Button kind="strong" onClick={() => void keep()}>
          Save explanation
        </Button>
        <Button kind="bare" onClick={() => setText(null)}>
          Not now
        </Button>
      </div>
      <Fault error={fault} />
    </div>
  );
}
