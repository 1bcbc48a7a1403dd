/** How conditions write fields and texts. */

/** A field as a condition writes it. */
export const written = (name: string) => (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `\`${name}\``);
/** A text as a condition writes it. */
export const quoted = (text: string) => `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"')}"`;
