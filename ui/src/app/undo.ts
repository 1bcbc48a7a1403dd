import { useSyncExternalStore } from "react";

/** What can be undone in this sitting, newest last. */
export type Undo = { what: string; back: () => Promise<unknown> | undefined };

let stack: Undo[] = [];
const listeners = new Set<() => void>();
const tell = () => {
  for (const listener of listeners) listener();
};

export function remember(entry: Undo) {
  stack = [...stack.slice(-49), entry];
  tell();
}

export async function undo(): Promise<void> {
  const entry = stack.at(-1);
  if (!entry) return;
  stack = stack.slice(0, -1);
  tell();
  await entry.back();
}

/** Undo nothing of what was done so far: the next person at this page did none of it. */
export function forget() {
  stack = [];
  tell();
}

export const useUndo = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => stack.at(-1)?.what ?? null,
  );
