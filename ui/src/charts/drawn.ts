/** A part of the page as one SVG: its text, rules and grounds, and the figures in it, each where it stands. */

const NS = "http://www.w3.org/2000/svg";
const KEPT = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "font-family",
  "font-size",
  "font-weight",
  "opacity",
];
/** On what belongs to the page and not to the picture of it: links, buttons. */
const UNSAVED = "[data-unsaved]";

const ABOVE = 24; // of a line above
const MARGIN = 12;
type Size = { width: number; height: number };
/** Where all is drawn: from where places are counted, the rules, which lie over everything, and from where to where
 * it reaches. */
type Sheet = { frame: DOMRect; rules: SVGElement; left: number; right: number };

/** An SVG of the page by itself, with its colours and fonts written into it. */
export function ofFigure(svg: SVGSVGElement): SVGSVGElement {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const [from, to] = [
    [svg, ...svg.querySelectorAll("*")],
    [copy, ...copy.querySelectorAll("*")],
  ];
  from.forEach((element, i) => {
    const style = getComputedStyle(element);
    for (const name of KEPT) to[i]?.setAttribute(name, style.getPropertyValue(name));
    to[i]?.removeAttribute("class");
  });
  const { width, height } = svg.getBoundingClientRect();
  sized(copy, { width, height });
  if (!copy.hasAttribute("viewBox")) copy.setAttribute("viewBox", `0 0 ${width} ${height}`);
  return copy;
}

/** Any element of the page as an SVG, on what it stands on; `said`: a line above it. */
export function ofElement(element: HTMLElement, said = ""): SVGSVGElement {
  const frame = element.getBoundingClientRect();
  const sheet: Sheet = { frame, rules: made("g", {}), left: Number.POSITIVE_INFINITY, right: 0 };
  const drawn = made("g", {});
  add(element, drawn, sheet);
  const above = said ? ABOVE : 0;
  const x = Math.min(0, sheet.left - MARGIN);
  const { color, fontFamily } = getComputedStyle(element);
  const wide = Math.max(sheet.right + MARGIN - x, wideOf(said, `14px ${fontFamily}`) + 2 * MARGIN);
  const size = { width: wide, height: frame.height + above };
  const out = made("svg", { viewBox: `${x} ${-above} ${size.width} ${size.height}` });
  sized(out, size);
  out.append(made("rect", { x, y: -above, ...size, fill: behind(element) }));
  if (said) {
    const line = { x: x + MARGIN, y: 16 - above, fill: color, "font-family": fontFamily, "font-size": "14px" };
    out.append(written(line, said));
  }
  out.append(drawn, sheet.rules);
  return out;
}

function wideOf(text: string, font: string): number {
  const canvas = document.createElement("canvas").getContext("2d");
  if (!canvas) return 0;
  canvas.font = font;
  return canvas.measureText(text).width;
}

/** The ground that an element stands on. */
function behind(element: Element | null): string {
  if (!element) return "white";
  const ground = getComputedStyle(element).backgroundColor;
  return seen(ground) ? ground : behind(element.parentElement);
}

function written(attributes: Record<string, string | number>, said: string): SVGTextElement {
  const out = made("text", attributes);
  out.textContent = said;
  return out;
}

function sized(svg: SVGSVGElement, { width, height }: Size) {
  svg.setAttribute("xmlns", NS);
  svg.setAttribute("width", String(width));
  svg.setAttribute("height", String(height));
}

function made<K extends keyof SVGElementTagNameMap>(name: K, attributes: Record<string, string | number>) {
  const out = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) out.setAttribute(key, String(value));
  return out;
}

function add(element: Element, to: SVGElement, sheet: Sheet) {
  if (element.matches(UNSAVED)) return;
  const style = getComputedStyle(element);
  const box = element.getBoundingClientRect();
  const boxless = style.display === "contents";
  if (style.visibility === "hidden" || (!boxless && (box.width <= 1 || box.height <= 1))) return; // or only to be heard
  const [x, y] = [box.left - sheet.frame.left, box.top - sheet.frame.top];
  if (element instanceof SVGSVGElement) {
    const figure = ofFigure(element);
    figure.setAttribute("x", String(x));
    figure.setAttribute("y", String(y));
    figure.setAttribute("overflow", style.overflow === "visible" ? "visible" : "hidden");
    to.append(figure);
    reach(sheet, box);
    return;
  }
  if (!boxless) ground(style, x, y, box, to, sheet.rules);
  let inside = to;
  if (
    style.overflow !== "visible" &&
    (element.scrollWidth > element.clientWidth || style.textOverflow === "ellipsis")
  ) {
    const { width, height } = box;
    inside = made("svg", { x, y, width, height, viewBox: `${x} ${y} ${width} ${height}` });
    to.append(inside);
  }
  let said: Text[] = [];
  for (const child of [...element.childNodes, null]) {
    if (child instanceof Text) said.push(child);
    else if (child === null || child instanceof Element) {
      text(said, style, inside, sheet); // as one, so that no font pushes a sign into its number
      said = [];
      if (child) add(child, inside, sheet);
    }
  }
}

function reach(sheet: Sheet, box: DOMRect) {
  sheet.left = Math.min(sheet.left, box.left - sheet.frame.left);
  sheet.right = Math.max(sheet.right, box.right - sheet.frame.left);
}

/** What stands behind an element, and the rules at its sides. */
function ground(style: CSSStyleDeclaration, x: number, y: number, size: Size, to: SVGElement, rules: SVGElement) {
  const { width, height } = size;
  const fill = style.backgroundColor;
  if (seen(fill))
    to.append(made("rect", { x, y, width, height, rx: Number.parseFloat(style.borderRadius) || 0, fill }));
  const [right, bottom] = [x + width, y + height];
  const ends = { top: [x, y, right, y], right: [right, y, right, bottom], bottom: [x, bottom, right, bottom] };
  for (const [side, [x1 = 0, y1 = 0, x2 = 0, y2 = 0]] of Object.entries({ ...ends, left: [x, y, x, bottom] })) {
    const wide = Number.parseFloat(style.getPropertyValue(`border-${side}-width`));
    const stroke = style.getPropertyValue(`border-${side}-color`);
    if (!wide || style.getPropertyValue(`border-${side}-style`) === "none" || !seen(stroke)) continue;
    rules.append(made("line", { x1, y1, x2, y2, stroke, "stroke-width": wide }));
  }
}

const seen = (ink: string) => ink !== "transparent" && !/[,/]\s*0\)$/.test(ink);

/** A text, line by line as it is broken on the page; what is set flush right stays so where the font is another. */
function text(nodes: Text[], style: CSSStyleDeclaration, to: SVGElement, sheet: Sheet) {
  const { frame } = sheet;
  for (const { said, box } of linesOf(nodes)) {
    const right = style.textAlign === "right" || style.textAlign === "end";
    const line = {
      x: (right ? box.right : box.left) - frame.left,
      y: box.top - frame.top + box.height * rise(style),
      fill: style.color,
      "font-family": style.fontFamily,
      "font-size": style.fontSize,
      "font-weight": style.fontWeight,
      "font-style": style.fontStyle,
      "text-anchor": right ? "end" : "start",
      "xml:space": "preserve",
    };
    reach(sheet, box);
    const out = written(line, said);
    out.style.fontVariantNumeric = style.fontVariantNumeric; // no attribute has it
    to.append(out);
  }
}

function linesOf(nodes: Text[]): { said: string; box: DOMRect }[] {
  const out: { said: string; box: DOMRect }[] = [];
  const range = document.createRange();
  for (const node of nodes)
    for (const word of node.data.matchAll(/\S+\s*/gu)) {
      range.setStart(node, word.index);
      range.setEnd(node, word.index + word[0].length);
      const box = [...range.getClientRects()].filter((b) => b.width > 0).at(-1);
      if (!box) continue;
      const before = out.at(-1);
      const said = word[0].replaceAll(/\s+/gu, " ");
      if (before && Math.abs(before.box.top - box.top) < box.height / 2) {
        const apart =
          /^\s/.test(node.data) && node.data.slice(0, word.index).trim() === "" && !before.said.endsWith(" ");
        before.said += `${apart ? " " : ""}${said}`;
        before.box = new DOMRect(before.box.x, before.box.y, box.right - before.box.x, before.box.height);
      } else out.push({ said, box });
    }
  return out;
}

const RISES = new Map<string, number>();

/** How far down its box the line is that letters stand on, as a share of the box. */
function rise(style: CSSStyleDeclaration): number {
  const font = `${style.fontStyle} ${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
  const known = RISES.get(font);
  if (known !== undefined) return known;
  const canvas = document.createElement("canvas").getContext("2d");
  if (!canvas) return 0.8;
  canvas.font = font;
  const { fontBoundingBoxAscent: up, fontBoundingBoxDescent: down } = canvas.measureText("x");
  const found = up / (up + down);
  RISES.set(font, found);
  return found;
}
