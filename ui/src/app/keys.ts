import { useEffect, useRef } from "react";

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));

/** Keys that work anywhere on the page, but for a field being typed in or an open dialog. */
export function useKeys(keys: Record<string, (event: KeyboardEvent) => void>) {
  const current = useRef(keys);
  current.current = keys;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      if (document.querySelector('[role="dialog"][data-state="open"][data-modal]')) return;
      const found = current.current[event.key];
      if (!found) return;
      event.preventDefault();
      found(event);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}

export const KEYS: [string, string][] = [
  ["p", "pin this view"],
  ["1 – 9", "switch a candidate on or off"],
  ["j  k", "next and previous step"],
  [",  .", "nudge the cutoff; with Shift ten times"],
  ["←  →", "nudge the cutoff whose handle is focused; Page keys ten times"],
  ["b  f", "in Calibration: other bins, next candidate in front"],
  ["Enter", "open what is focused"],
  ["/", "find a view, study or candidate"],
  ["u", "undo"],
  ["Esc", "close"],
  ["?", "this list"],
];
