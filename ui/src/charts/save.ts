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

function standAlone(svg: SVGSVGElement): { text: string; width: number; height: number } {
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
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  if (!copy.hasAttribute("viewBox")) copy.setAttribute("viewBox", `0 0 ${width} ${height}`);
  return { text: new XMLSerializer().serializeToString(copy), width, height };
}

export function saveBlob(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Save a figure as it stands on screen, with its colours and fonts written into it. */
export async function saveFigure(svg: SVGSVGElement, name: string, kind: "svg" | "png") {
  const { text, width, height } = standAlone(svg);
  if (kind === "svg") return saveBlob(new Blob([text], { type: "image/svg+xml" }), `${name}.svg`);
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  await picture.decode();
  const canvas = document.createElement("canvas");
  canvas.width = 2 * width;
  canvas.height = 2 * height;
  const context = canvas.getContext("2d");
  if (!context) return;
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(picture, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((blob) => blob && saveBlob(blob, `${name}.png`));
}

const quoted = (cell: string | number | null) => {
  const text = cell === null ? "" : String(cell);
  return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
};

/** Save rows as CSV (RFC 4180). */
export function saveCsv(rows: (string | number | null)[][], name: string) {
  const text = rows.map((row) => row.map(quoted).join(",")).join("\r\n");
  saveBlob(new Blob([`${text}\r\n`], { type: "text/csv" }), `${name}.csv`);
}
