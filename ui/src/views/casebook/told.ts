import type { Schemas } from "../../api/client";

export type RowTold = Schemas["RowOut"];
