import { ofElement, ofFigure } from "./drawn";

export function saveBlob(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Save a figure, or a table with what is drawn in it, as it stands on screen; `said`: a line above a table. */
export async function saveFigure(figure: SVGSVGElement | HTMLElement, name: string, kind: "svg" | "png", said = "") {
  const svg = figure instanceof SVGSVGElement ? ofFigure(figure) : ofElement(figure, said);
  const text = () => new XMLSerializer().serializeToString(svg);
  if (kind === "svg") return saveBlob(new Blob([text()], { type: "image/svg+xml" }), `${name}.svg`);
  const [width, height] = [Number(svg.getAttribute("width")), Number(svg.getAttribute("height"))];
  const fonts = document.createElementNS(svg.namespaceURI, "style");
  fonts.textContent = (await fontsOf(svg)).join("\n");
  svg.prepend(fonts);
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text())}`;
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

/** The page's fonts that a picture is written in, each with its bytes: a picture fetches nothing. */
async function fontsOf(svg: SVGSVGElement): Promise<string[]> {
  const used = [...svg.querySelectorAll("[font-family]")].map((x) => x.getAttribute("font-family")).join();
  const faces = [...document.styleSheets]
    .flatMap((sheet) => [...sheet.cssRules])
    .filter((rule) => rule instanceof CSSFontFaceRule)
    .filter(({ style }) => used.includes(style.getPropertyValue("font-family").replaceAll(/["']/g, "")));
  return Promise.all(
    faces.map(async ({ cssText, parentStyleSheet }) => {
      const url = /url\("([^"]+)"\)/.exec(cssText)?.[1];
      if (!url || url.startsWith("data:")) return cssText;
      const found = await fetch(new URL(url, parentStyleSheet?.href ?? location.href));
      return cssText.replace(url, await asData(await found.blob()));
    }),
  );
}

const asData = (blob: Blob) =>
  new Promise<string>((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(String(reader.result));
    reader.onerror = () => failed(reader.error);
    reader.readAsDataURL(blob);
  });

const quoted = (cell: string | number | null) => {
  const text = cell === null ? "" : String(cell);
  return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
};

/** Save rows as CSV (RFC 4180). */
export function saveCsv(rows: (string | number | null)[][], name: string) {
  const text = rows.map((row) => row.map(quoted).join(",")).join("\r\n");
  saveBlob(new Blob([`${text}\r\n`], { type: "text/csv" }), `${name}.csv`);
}
