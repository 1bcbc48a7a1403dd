import type { Mapped } from "../../api/mapped";
import { errorOf, type Seen } from "./place";

const DENSE = 20_000;
const MOVING = 150_000; // points that are looked at while the plane is moved
const MOST_MARKED = 4_000;
const COLOURS = 8;

export type Painted = { marked: number; drawn: number; sampled: boolean };
type How = { show: string; positive: number; mask: Uint8Array | null };

/** Draw the points that are seen: their density where there are many, and what is marked above them; of more marked
 * points than the eye can follow every so manyth. While it is moved the density is that of every so manyth point, so
 * that it keeps a frame's pace. */
export function drawMap(canvas: HTMLCanvasElement, m: Mapped, seen: Seen, how: How, moving = false): Painted {
  const ratio = window.devicePixelRatio || 1;
  const [w, h] = [canvas.clientWidth || canvas.width, canvas.clientHeight || canvas.height];
  if (canvas.width !== Math.round(w * ratio)) {
    canvas.width = Math.round(w * ratio);
    canvas.height = Math.round(h * ratio);
  }
  const ctx = canvas.getContext("2d");
  if (!ctx) return { marked: 0, drawn: 0, sampled: false };
  const style = getComputedStyle(canvas);
  const colour = (name: string) => resolved(ctx, style, `--color-${name}`);
  const [kx, ky] = [canvas.width / (seen.x1 - seen.x0), canvas.height / (seen.y1 - seen.y0)];
  ctx.clearRect(0, 0, canvas.width, canvas.height);
  const every = moving ? Math.max(1, Math.ceil(m.n / MOVING)) : 1;
  base(ctx, m, seen, kx, ky, colour(how.mask ? "rule" : "faint"), how.mask, every);
  const told = marked(m, how);
  let drawn = 0;
  const size = 2.6 * ratio;
  const colours = ["", "missed", "needless", "ink"].map((name) => (name ? colour(name) : ""));
  const several = Array.from({ length: COLOURS }, (_, i) => colour(`c${i + 1}`));
  for (let k = 0; k < told.at.length; k++) {
    const i = told.at[k] as number;
    const kind = told.kind[k] as number;
    const px = ((m.x[i] as number) - seen.x0) * kx;
    const py = (seen.y1 - (m.y[i] as number)) * ky;
    if (px < 0 || py < 0 || px > canvas.width || py > canvas.height) continue;
    const outside = how.mask && !how.mask[i];
    ctx.globalAlpha = outside ? 0.25 : 0.85;
    ctx.fillStyle = (kind < 10 ? colours[kind] : several[kind - 10]) || (colours[3] as string);
    ctx.beginPath();
    ctx.arc(px, py, outside ? size * 0.7 : size, 0, 2 * Math.PI);
    ctx.fill();
    drawn++;
  }
  ctx.globalAlpha = 1;
  return { marked: told.total, drawn, sampled: told.total > told.at.length };
}

type Marked = { key: string; at: Uint32Array; kind: Uint8Array; total: number };
const known = new WeakMap<Mapped, Marked>();

/** The marked points, of more than the eye can follow every so manyth: 1 missed, 2 needless, 3 disagreed on, from 10 on
 * the colour of a class or value. Kept with the points while they are moved about. */
function marked(m: Mapped, { show, positive }: How): Marked {
  const key = `${show} ${positive}`;
  const found = known.get(m);
  if (found?.key === key) return found;
  const kinds = new Uint8Array(m.n);
  let total = 0;
  for (let i = 0; i < m.n; i++) {
    const value = show === "actual" ? (m.actual[i] as number) : (m.by[i] as number);
    const of =
      show === "errors"
        ? errorOf(m, i, positive)
        : show === "differ"
          ? m.differ[i]
            ? 3
            : 0
          : value < COLOURS
            ? 10 + value
            : 0;
    kinds[i] = of;
    if (of) total++;
  }
  const every = Math.max(1, Math.ceil(total / MOST_MARKED));
  const at = new Uint32Array(Math.ceil(total / every));
  const kind = new Uint8Array(at.length);
  let [seen, k] = [0, 0];
  for (let i = 0; i < m.n; i++)
    if (kinds[i] && seen++ % every === 0) {
      at[k] = i;
      kind[k++] = kinds[i] as number;
    }
  const told = { key, at, kind, total };
  known.set(m, told);
  return told;
}

/** All points in one colour: dots where there are few, their density by pixel where there are many. */
function base(
  ctx: CanvasRenderingContext2D,
  m: Mapped,
  seen: Seen,
  kx: number,
  ky: number,
  colour: string,
  mask: Uint8Array | null,
  every: number,
) {
  const { width, height } = ctx.canvas;
  if (m.n <= DENSE) {
    ctx.fillStyle = colour;
    const size = 2 * (window.devicePixelRatio || 1);
    for (let i = 0; i < m.n; i++) {
      const px = ((m.x[i] as number) - seen.x0) * kx;
      const py = (seen.y1 - (m.y[i] as number)) * ky;
      ctx.globalAlpha = mask && !mask[i] ? 0.8 : 0.7;
      ctx.fillRect(px - size / 2, py - size / 2, size, size);
    }
    ctx.globalAlpha = 1;
    return;
  }
  const counts = new Uint16Array(width * height);
  let most = 1;
  const { n: rows, x: xs, y: ys } = m;
  const { x0, y1 } = seen;
  for (let i = 0; i < rows; i += every) {
    const fx = ((xs[i] as number) - x0) * kx;
    const fy = (y1 - (ys[i] as number)) * ky;
    if (fx >= 0 && fy >= 0 && fx < width && fy < height) {
      const at = (fy | 0) * width + (fx | 0);
      const n = (counts[at] as number) + 1;
      counts[at] = n;
      if (n > most) most = n;
    }
  }
  const image = ctx.createImageData(width, height);
  const pixels = new Uint32Array(image.data.buffer);
  const [r, g, b] = parts(colour);
  const scale = 190 / Math.log1p(most);
  for (let at = 0; at < counts.length; at++) {
    const n = counts[at] as number;
    if (n) pixels[at] = ((50 + Math.log1p(n) * scale) << 24) | (b << 16) | (g << 8) | r;
  }
  ctx.putImageData(image, 0, 0);
}

/** A colour of the theme as the canvas takes it. */
function resolved(ctx: CanvasRenderingContext2D, style: CSSStyleDeclaration, name: string): string {
  const said = style.getPropertyValue(name).trim();
  const pair = /^light-dark\(([^,]+),([^)]+)\)$/.exec(said);
  const dark =
    style.colorScheme.includes("dark") &&
    (!style.colorScheme.includes("light") || matchMedia("(prefers-color-scheme: dark)").matches);
  ctx.fillStyle = pair ? ((dark ? pair[2] : pair[1]) ?? "").trim() : said;
  return ctx.fillStyle as string;
}

const parts = (colour: string): [number, number, number] => {
  const n = Number.parseInt(colour.slice(1), 16);
  return [(n >> 16) & 255, (n >> 8) & 255, n & 255];
};

/** Save the points, with the axes and the line above them, as PNG. */
export async function picture(canvas: HTMLCanvasElement, over: SVGSVGElement | null, name: string) {
  const ratio = canvas.width / (canvas.clientWidth || canvas.width);
  const out = document.createElement("canvas");
  const [w, h] = over
    ? [over.width.baseVal.value, over.height.baseVal.value]
    : [canvas.clientWidth, canvas.clientHeight];
  out.width = w * ratio;
  out.height = h * ratio;
  const ctx = out.getContext("2d");
  if (!ctx) return;
  ctx.fillStyle = getComputedStyle(document.body).backgroundColor;
  ctx.fillRect(0, 0, out.width, out.height);
  ctx.drawImage(canvas, out.width - canvas.width, 0);
  if (over) {
    const text = new XMLSerializer().serializeToString(plain(over));
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
    await image.decode().catch(() => undefined);
    ctx.drawImage(image, 0, 0, out.width, out.height);
  }
  const link = document.createElement("a");
  link.download = `${name.replace(/[^\p{L}\p{N}-]+/gu, "-")}.png`;
  link.href = out.toDataURL("image/png");
  link.click();
}

/** A figure with its colours and letters written out, as it stands outside of the page. */
function plain(figure: SVGSVGElement): SVGSVGElement {
  const copy = figure.cloneNode(true) as SVGSVGElement;
  const [from, to] = [figure.querySelectorAll("*"), copy.querySelectorAll<SVGElement>("*")];
  from.forEach((one, i) => {
    const style = getComputedStyle(one);
    for (const key of ["fill", "stroke", "font-family", "font-size"])
      to[i]?.style.setProperty(key, style.getPropertyValue(key));
  });
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  return copy;
}
