import type { ComponentProps } from "react";
import { SaveMenu } from "../charts/SaveMenu";
import { sliceNamed, useScope } from "./scope";

type Props = Omit<ComponentProps<typeof SaveMenu>, "said"> & {
  /** What the table tells. */
  of: string;
};

/** Save a table with what is drawn in it as SVG or PNG, under a line that says what it tells and of which rows; its
 * numbers as CSV. */
export function SaveTable({ of, ...menu }: Props) {
  const { split, within } = useScope();
  const where = Object.keys(within).length > 0 ? `where ${sliceNamed(within)}` : "";
  return <SaveMenu {...menu} said={[of, split === "all" ? "all rows" : split, where].filter((x) => x).join(", ")} />;
}
