import type { RefObject } from "react";
import { saveCsv, saveFigure } from "./save";

/** `rows`: the numbers that are drawn, with a head; asked for when they are saved. */
type Props = {
  figure?: RefObject<SVGSVGElement | HTMLElement | null>;
  name: string;
  /** What the picture of a table says above it. */
  said?: string;
  disabled?: boolean;
  rows?: () => (string | number | null)[][];
};

/** Save a figure as SVG or PNG, and its numbers as CSV. */
export function SaveMenu({ figure, name, rows, said, disabled = false }: Props) {
  const save = (kind: "svg" | "png") => figure?.current && void saveFigure(figure.current, name, kind, said);
  return (
    <span className="text-sm text-soft font-sans font-normal whitespace-nowrap" data-unsaved="">
      save{" "}
      {figure && (
        <>
          <button type="button" className="link" disabled={disabled} onClick={() => save("svg")}>
            SVG
          </button>{" "}
          <button type="button" className="link" disabled={disabled} onClick={() => save("png")}>
            PNG
          </button>
        </>
      )}
      {rows && (
        <>
          {" "}
          <button type="button" className="link" disabled={disabled} onClick={() => saveCsv(rows(), name)}>
            CSV
          </button>
        </>
      )}
    </span>
  );
}
