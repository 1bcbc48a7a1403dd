/** What the server tells of a map beside its points. */
export type MapAbout = {
  rows: number;
  placed: number;
  x: { name: string; categories: string[] };
  y: { name: string; categories: string[] };
  classes: string[];
  values: string[];
  share: number[];
  loadings: Record<string, [number, number]>;
  filled: Record<string, number>;
  constant: string[];
  arbitrary: boolean;
};

/** A map: what is told of it, and its points as columns. */
export type Mapped = {
  about: MapAbout;
  n: number;
  row: Uint32Array;
  x: Float32Array;
  y: Float32Array;
  by: Uint16Array;
  actual: Uint8Array;
  said: Uint8Array;
  differ: Uint8Array;
};

/** What stands in place of a class: no answer that counts as wrong, and one that is left out. */
export const NO_ANSWER = 255;
export const LEFT_OUT = 254;

/** A map from its bytes: the length of what is told, that as JSON, then column by column. */
export function decode(bytes: ArrayBuffer): Mapped {
  const size = new DataView(bytes).getUint32(0, true);
  const about = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, size))) as MapAbout;
  const n = about.placed;
  let at = 4 + size;
  const take = <T>(make: new (b: ArrayBuffer, from: number, length: number) => T, width: number): T => {
    const column = new make(bytes, at, n);
    at += n * width;
    return column;
  };
  return {
    about,
    n,
    row: take(Uint32Array, 4),
    x: take(Float32Array, 4),
    y: take(Float32Array, 4),
    by: take(Uint16Array, 2),
    actual: take(Uint8Array, 1),
    said: take(Uint8Array, 1),
    differ: take(Uint8Array, 1),
  };
}
