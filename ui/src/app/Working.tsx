import { Progress } from "radix-ui";
import { stop } from "../api/client";
import { useJobs } from "../api/jobs";
import { Button } from "../parts/basics";

/** The long work this page waits for: what is being done, how far it is, and a way to stop it. */
export function Working() {
  const jobs = useJobs();
  if (jobs.length === 0) return null;
  return (
    <section
      aria-label="Work in progress"
      className="fixed z-30 bottom-3 right-4 w-[460px] max-w-[94vw] bg-sheet border border-ink rounded-[4px] px-3 py-2"
    >
      {jobs.map((job) => (
        <div key={job.id} className="py-1">
          <div className="flex items-baseline gap-2">
            <p className="flex-1 min-w-0 truncate" role="status">
              <b>{capital(job.what)}</b>
              {job.step && <span className="text-soft"> · {job.step}</span>}
            </p>
            <span className="text-sm text-soft tabular-nums whitespace-nowrap">
              step {Math.min(job.done + 1, job.of)} of {job.of}
            </span>
            <Button kind="bare" className="text-sm" onClick={() => void stop(job).catch(() => undefined)}>
              Stop
            </Button>
          </div>
          <Progress.Root
            value={job.done}
            max={job.of}
            aria-label={job.what}
            className="mt-1 h-[3px] bg-rule overflow-hidden"
          >
            <Progress.Indicator
              className="h-full bg-ink transition-[width]"
              style={{ width: `${(100 * job.done) / Math.max(1, job.of)}%` }}
            />
          </Progress.Root>
        </div>
      ))}
    </section>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
