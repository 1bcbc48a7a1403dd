import type { RefObject } from "react";
import { saveFigure } from "./save";

/** Save a figure as SVG or PNG. */
export function SaveMenu({ figure, name }: { figure: RefObject<SVGSVGElement | null>; name: string }) {
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
    </span>
  );
}
