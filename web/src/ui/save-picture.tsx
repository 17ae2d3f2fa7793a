import type { RefObject } from "react";
import { Button } from "./controls";

type SavePictureProps = { of: RefObject<HTMLElement | null>; name: string };

/** Takes the chart in an element out as a file: SVG to edit, PNG to show. */
export function SavePicture({ of, name }: SavePictureProps) {
  const picture = () => of.current?.querySelector("svg") ?? null;
  const saveSvg = () => {
    const svg = picture();
    if (svg) save(`data:image/svg+xml;charset=utf-8,${encodeURIComponent(standalone(svg))}`, `${name}.svg`);
  };
  const savePng = async () => {
    const svg = picture();
    if (svg) save(await drawn(standalone(svg), svg.clientWidth, svg.clientHeight), `${name}.png`);
  };
  return (
    <span className="no-print inline-flex items-baseline gap-1 text-sm">
      <Button kind="quiet" aria-label={`Save ${name} as SVG`} onClick={saveSvg}>
        SVG
      </Button>
      <Button kind="quiet" aria-label={`Save ${name} as PNG`} onClick={() => void savePng()}>
        PNG
      </Button>
    </span>
  );
}

function save(address: string, file: string) {
  const link = document.createElement("a");
  link.href = address;
  link.download = file;
  link.click();
}

/** The picture with everything that it takes from the page: colours, the textures of tiers, the ground. */
function standalone(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const [width, height] = [svg.clientWidth, svg.clientHeight];
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("viewBox", `0 0 ${width} ${height}`);
  // Sizes and faces come from the page's styles.
  const copies = copy.querySelectorAll("text, tspan");
  for (const [i, text] of svg.querySelectorAll("text, tspan").entries()) {
    const style = getComputedStyle(text);
    for (const part of ["font-size", "font-family", "font-weight"]) copies[i]?.setAttribute(part, style.getPropertyValue(part));
  }
  const used = new Set([...copy.outerHTML.matchAll(/url\(#([^)]+)\)/g)].map(([, id]) => id ?? ""));
  const textures = [...used]
    .filter((id) => !copy.querySelector(`[id="${id}"]`))
    .flatMap((id) => document.getElementById(id) ?? []);
  const defs = document.createElementNS("http://www.w3.org/2000/svg", "defs");
  defs.append(...textures.map((texture) => texture.cloneNode(true)));
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  for (const [part, value] of Object.entries({ width: "100%", height: "100%", fill: "var(--paper)" }))
    ground.setAttribute(part, value);
  copy.prepend(defs, ground);
  const colours = getComputedStyle(document.documentElement);
  return copy.outerHTML.replaceAll(/var\((--[\w-]+)\)/g, (_, name: string) => colours.getPropertyValue(name).trim());
}

/** Twice as fine as on the screen. */
async function drawn(svg: string, width: number, height: number): Promise<string> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [width * 2, height * 2];
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return canvas.toDataURL("image/png");
}
