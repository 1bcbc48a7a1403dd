import { Popover } from "radix-ui";
import { useShownKeeping } from "../../api/queries";
import { type MetricInfo, useScope } from "../../app/scope";
import { Fault } from "../../parts/basics";

type Props = { columns: MetricInfo[] };

/** Which metrics stand side by side, and in which order: the choice is part of the address, and kept for the study on
 * request. */
export function Metrics({ columns }: Props) {
  const { study, setOwn, mayWrite } = useScope();
  const keeping = useShownKeeping(study.id);
  const names = columns.map((c) => c.name);
  const put = (next: string[], kept: string[] = study.headline) => {
    const usual = next.join() === kept.join() || next.length === 0;
    setOwn({ metrics: usual ? null : next.join(",") });
  };
  const moved = (name: string, by: number) => {
    const [from, to] = [names.indexOf(name), names.indexOf(name) + by];
    const next = names.toSpliced(from, 1).toSpliced(to, 0, name);
    if (to >= 0 && to < names.length) put(next);
  };
  const others = study.metrics.filter((m) => !names.includes(m.name));
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="link">
          metrics
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Metrics"
          align="start"
          collisionPadding={12}
          className="z-40 w-[19rem] max-h-[70vh] overflow-auto bg-sheet border border-ink rounded-[4px] p-3 text-sm"
        >
          <ul aria-label="Shown, in order">
            {columns.map((m, i) => (
              <li key={m.name} className="flex items-center gap-2 py-0.5">
                <label className="flex-1 flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked
                    disabled={names.length === 1}
                    onChange={() => put(names.filter((name) => name !== m.name))}
                  />
                  {m.title}
                </label>
                <button
                  type="button"
                  className="px-1 disabled:opacity-30"
                  aria-label={`${m.title} further left`}
                  disabled={i === 0}
                  onClick={() => moved(m.name, -1)}
                >
                  ↑
                </button>
                <button
                  type="button"
                  className="px-1 disabled:opacity-30"
                  aria-label={`${m.title} further right`}
                  disabled={i === columns.length - 1}
                  onClick={() => moved(m.name, 1)}
                >
                  ↓
                </button>
              </li>
            ))}
          </ul>
          {others.length > 0 && (
            <ul aria-label="Not shown" className="border-t border-light mt-2 pt-2">
              {others.map((m) => (
                <li key={m.name} className="py-0.5">
                  <label className="flex items-center gap-2">
                    <input type="checkbox" checked={false} onChange={() => put([...names, m.name])} />
                    {m.title}
                  </label>
                </li>
              ))}
            </ul>
          )}
          <p className="flex gap-4 mt-2">
            <button type="button" className="link" onClick={() => put([...study.usual])}>
              the usual ones
            </button>
            {mayWrite && names.join() !== study.headline.join() && (
              <button
                type="button"
                className="link"
                disabled={keeping.isPending}
                onClick={() =>
                  keeping.mutate({ metrics: names, across: study.across }, { onSuccess: () => put(names, names) })
                }
              >
                keep for the study
              </button>
            )}
          </p>
          <Fault error={keeping.error} done={() => keeping.reset()} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
