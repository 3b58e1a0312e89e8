/** Colours of the drawing, read from the page's theme so that evening and day share one source. */

import { Color } from "three";

export interface Ink {
  paper: Color;
  ink: Color;
  faint: Color;
  rule: Color;
  brick: Color;
  verdigris: Color;
  ochre: Color;
  clay: Color;
  hatch: Color;
}

export function readInk(): Ink {
  const style = getComputedStyle(document.documentElement);
  const get = (name: string) => new Color(style.getPropertyValue(`--${name}`).trim() || "#000");
  return {
    paper: get("paper"),
    ink: get("ink"),
    faint: get("faint"),
    rule: get("rule"),
    brick: get("brick"),
    verdigris: get("verdigris"),
    ochre: get("ochre"),
    clay: get("clay"),
    hatch: get("hatch"),
  };
}

/** A colour as the three bytes the screen gets. */
export function bytes(colour: Color): [number, number, number] {
  const c = colour.clone().convertLinearToSRGB();
  return [Math.round(c.r * 255), Math.round(c.g * 255), Math.round(c.b * 255)];
}
