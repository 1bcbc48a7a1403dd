import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import type { Metric, Schemas } from "../api/client";
import { type Besides, useUnfolded } from "../api/queries";
import { PENDING } from "../parts/basics";
import { quoted } from "../parts/conditions";
import { count, shown } from "../parts/number";
import { Another } from "./Another";
import { useScope, writeAddress } from "./scope";

type Props = {
  candidate: string;
  metric: string;
  value: Metric;
  whole?: boolean;
  /** The class against the rest whose number this is, of three or more; or of what else it is. */
  of?: string;
  /** What it was asked for with besides: a band, prices, an expected base rate. */
  besides?: Besides;
  /** How it is written, where not as numbers are. */
  text?: string;
  pending?: boolean;
  className?: string;
};

/** A number that unfolds: pressed, it shows its formula with this study's counts, its interval, its other names. */
export function Figure({
  candidate,
  metric,
  value,
  whole = false,
  of,
  besides,
  text: written,
  pending = false,
  className = "",
}: Props) {
  const { study, split, query, slice } = useScope();
  const [open, setOpen] = useState(false);
  const asked = useUnfolded(
    study.id,
    { candidate, split, metric, cutoffs: query, within: slice, ...(of ? { of } : {}), ...besides },
    open,
  );
  const text = written ?? (whole && value.value !== null ? count(value.value) : shown(value.value));
  const e = asked.data;
  if (pending)
    return (
      <span className={`text-soft ${className}`} data-metric={metric} data-candidate={candidate} aria-busy="true">
        {PENDING}
      </span>
    );
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className={`number ${className}`}
          data-metric={metric}
          data-candidate={candidate}
          title={value.why ?? undefined}
          aria-label={`${candidate}, ${metric}: ${value.value === null ? value.why : text}`}
          onCopy={(event) => {
            if (value.value === null) return;
            event.clipboardData.setData("text/plain", String(value.value));
            event.preventDefault();
          }}
        >
          {text}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={`${metric} of ${candidate}`}
          collisionPadding={12}
          sideOffset={5}
          className="z-40 w-[23rem] max-h-[var(--radix-popover-content-available-height)] overflow-auto bg-sheet border border-ink rounded-[4px] p-3.5"
          data-part="unfolded"
        >
          {asked.isError && <p className="text-scarlet">{asked.error.message}</p>}
          {e && (
            <>
              <h3 className="text-lg">
                {e.title} <span className="text-soft font-sans text-sm font-normal">of {candidate}</span>
              </h3>
              <p className="text-soft text-sm">{e.meaning}</p>
              <p className="font-serif text-lg leading-snug my-2 text-pretty">{e.sentence}</p>
              {e.interval && <p className="text-sm">{e.interval}</p>}
              <p className="text-sm text-soft mt-2 border-t border-light pt-2">
                {e.formula}. {e.direction}
                {e.also.length > 0 && ` Also called ${e.also.join(", ")}.`}
              </p>
              {value.value !== null && !whole && (
                <p className="text-sm text-soft mt-1">
                  In full: <span className="select-all">{String(value.value)}</span>
                </p>
              )}
              {e.behind && <Behind candidate={candidate} of={e.behind} onGo={() => setOpen(false)} />}
              {!whole && !besides && <Another candidate={candidate} />}
            </>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

type BehindProps = { candidate: string; of: NonNullable<Schemas["Unfolded"]["behind"]>; onGo: () => void };

/** The way to the rows that a number is read from. */
function Behind({ candidate, of, onGo }: BehindProps) {
  const scope = useScope();
  const front = scope.chosen.find((c) => c.name === candidate);
  if (!front) return null;
  const clauses = [
    of.actual === null ? "" : `actual = ${quoted(scope.called(of.actual))}`,
    of.predicted === null ? "" : `predicted(${front.letter}) = ${quoted(scope.called(of.predicted))}`,
  ].filter((x) => x);
  const own = { front: front.letter, ...(clauses.length > 0 ? { q: clauses.join(" and ") } : {}) };
  const said = [
    of.actual === null ? "" : `that were “${scope.called(of.actual)}”`,
    of.predicted === null ? "" : `that ${candidate} predicted “${scope.called(of.predicted)}”`,
  ].filter((x) => x);
  return (
    <p className="text-sm mt-2">
      <Link
        className="link"
        data-part="behind"
        onClick={onGo}
        to={{
          pathname: `/studies/${scope.study.id}/casebook`,
          search: writeAddress({ ...scope, own }, scope.study).toString(),
        }}
      >
        The rows {said.join(" and ") || "it is read from"}
      </Link>
    </p>
  );
}
