/** The cutoffs of probabilities in an address, by letter: A:0.6,B:0.5. What is no probability is not there. */
export function leastOf(text: string | undefined): Record<string, number> {
  const found: Record<string, number> = {};
  for (const part of (text ?? "").split(",")) {
    const [letter = "", value = ""] = part.split(":");
    const number = Number(value);
    if (letter && value !== "" && number >= 0 && number <= 1) found[letter] = number;
  }
  return found;
}

/** The same as text; what withholds nothing is left out. */
export const leastText = (least: Record<string, number>) =>
  Object.entries(least)
    .flatMap(([letter, value]) => (value > 0 ? [`${letter}:${value}`] : []))
    .join(",");
