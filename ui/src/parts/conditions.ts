/** How conditions write fields and texts. */

/** A field as a condition writes it. */
export const written = (name: string) => (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `\`${name}\``);
/** A text as a condition writes it. */
export const quoted = (text: string) => `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"')}"`;

const ANSWERS = /\b(predicted|right|score)\b(?:\s*\(\s*("(?:[^"\\]|\\.)*"|[\p{L}\p{N}]+)\s*\))?/gu;

/** Whether a condition picks the same rows for every candidate and at every cutoff: it says whose answers it reads, and
 * reads no class that a cutoff makes. `moving`: letters and names of those who have a cutoff. */
export function lasting(condition: string, moving: string[]): boolean {
  const known = new Set(moving.flatMap((name) => [name, quoted(name)]));
  return [...condition.matchAll(ANSWERS)].every(([, what, of]) => of && (what === "score" || !known.has(of)));
}
