/** How conditions write fields and texts. */

/** A field as a condition writes it. */
export const written = (name: string) => (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `\`${name}\``);
/** A text as a condition writes it. */
export const quoted = (text: string) => `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"')}"`;

const TEXT = String.raw`"(?:[^"\\]|\\.)*"`;
/** What reads an answer, with whose it is; what is spoken of by its name; or a text or field, in which both may stand. */
const READS = new RegExp(
  String.raw`\b(predicted|right|score)\b(?:\s*\(\s*(${TEXT}|[\p{L}\p{N}]+)\s*\))?|\bnamed\s+(${TEXT})|${TEXT}|${"`[^`]*`"}`,
  "gu",
);

/** Whether a condition picks the same rows for every candidate and at every cutoff: it says whose answers it reads, and
 * reads no class that a cutoff makes, itself or by the name of another.
 * `moving`: letters and names of those who have a cutoff; `alone`: the named conditions that pick the same rows. */
export function lasting(condition: string, moving: string[], alone: string[] = []): boolean {
  const known = new Set(moving.flatMap((name) => [name, quoted(name)]));
  const same = new Set(alone.map(quoted));
  return [...condition.matchAll(READS)].every(([, what, of, named]) => {
    if (named) return same.has(named);
    return what === undefined || (of !== undefined && (what === "score" || !known.has(of)));
  });
}
