import type { RefObject } from "react";
import { saveCsv, saveFigure } from "./save";

/** `rows`: the numbers that are drawn, with a head; asked for when they are saved. */
type Props = {
  figure: RefObject<SVGSVGElement | null>;
  name: string;
  rows?: () => (string | number | null)[][];
};

/** Save a figure as SVG or PNG, and its numbers as CSV. */
export function SaveMenu({ figure, name, rows }: Props) {
  const save = (kind: "svg" | "png") => figure.current && void saveFigure(figure.current, name, kind);
  return (
    <span className="text-sm text-soft">
      save{" "}
      <button type="button" className="link" onClick={() => save("svg")}>
        SVG
      </button>{" "}
      <button type="button" className="link" onClick={() => save("png")}>
        PNG
      </button>
      {rows && (
        <>
          {" "}
          <button type="button" className="link" onClick={() => saveCsv(rows(), name)}>
            CSV
          </button>
        </>
      )}
    </span>
  );
}
