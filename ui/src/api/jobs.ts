import { useSyncExternalStore } from "react";
import type { components } from "./schema";

export type Job = components["schemas"]["JobOut"];

/** The long work that this page waits for. */
let running: Job[] = [];
const listeners = new Set<() => void>();

function put(job: Job, on: boolean) {
  const others = running.filter((j) => j.id !== job.id);
  running = on ? [...others, job] : others;
  for (const listener of listeners) listener();
}

export const useJobs = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => running,
  );

/** Follow a job to its end: how it was when it ended, or undefined when the server no longer knows it. */
export async function follow(
  job: Job,
  read: (id: string) => Promise<Job | undefined>,
  { every = 300, quiet = false } = {},
): Promise<Job | undefined> {
  let now: Job | undefined = job;
  try {
    while (now?.state === "running") {
      if (!quiet) put(now, true);
      await new Promise((resolve) => setTimeout(resolve, every));
      now = await read(job.id);
    }
    return now;
  } finally {
    put(job, false);
  }
}
