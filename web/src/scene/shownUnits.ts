/**
 * Figures as a person wants to read them: in mm, or in inches with fractions. What is kept and computed is in mm
 * either way.
 */

/** The length of a unit by name, in mm. */
export const MM_OF: Record<string, number> = {
  um: 0.001,
  mm: 1,
  cm: 10,
  m: 1000,
  in: 25.4,
  ft: 304.8,
  mil: 0.0254,
  px: 25.4 / 96,
  pt: 25.4 / 72,
};

const INCH = 25.4,
  FINEST = 64;
let inches = false;

/** A number with at most `digits` decimals and no trailing zeros. */
export function show(value: number, digits = 3): string {
  return value.toLocaleString("en", { maximumFractionDigits: digits, useGrouping: false });
}

/** The same, but what is little is shown with two digits that say something; below a millionth it is nothing. */
function showLittle(value: number, digits: number): string {
  const size = Math.abs(value);
  return size > 1e-6 && size < 10 ** (1 - digits)
    ? value.toLocaleString("en", { maximumSignificantDigits: 2, useGrouping: false })
    : show(value, digits);
}

/** Show lengths in inches with fractions from now on, or in mm again. */
export function showInches(wanted: boolean): void {
  inches = wanted;
}

/** A length given in mm, with its unit. An inch is told in sixty-fourths; ≈ where that is not exact. */
export function lengthText(mm: number, digits = 3): string {
  return inches ? `${fraction(mm / INCH)} in` : `${show(mm, digits)} mm`;
}

/** The number alone, for coordinates. */
export function coordinateText(mm: number): string {
  return inches ? show(mm / INCH, 4) : show(mm, 2);
}

export const lengthUnit = (): string => (inches ? "in" : "mm");

/** An area given in mm². */
export function areaText(mm2: number, digits = 2): string {
  return inches ? `${showLittle(mm2 / INCH ** 2, 4)} in²` : `${showLittle(mm2, digits)} mm²`;
}

/** The surface of a part, given in mm². */
export const surfaceText = (mm2: number): string =>
  inches ? `${showLittle(mm2 / INCH ** 2, 2)} in²` : `${showLittle(mm2 / 100, 2)} cm²`;

/** A volume given in mm³; in mm³ too, where there are less than ten of them. */
export function volumeText(mm3: number, digits = 3): string {
  if (inches) return `${showLittle(mm3 / INCH ** 3, digits)} in³`;
  return Math.abs(mm3) < 10 && Math.abs(mm3) > 1e-6
    ? `${showLittle(mm3, 2)} mm³`
    : `${showLittle(mm3 / 1000, digits)} cm³`;
}

/** Width, depth and height of a box [x, y, z, x, y, z] in mm. */
export function sizesText(bounds: number[], digits = 1): string {
  const sizes = [0, 1, 2].map((k) => bounds[k + 3]! - bounds[k]!);
  return inches
    ? `${sizes.map((s) => fraction(s / INCH)).join(" × ")} in`
    : `${sizes.map((s) => show(s, digits)).join(" × ")} mm`;
}

/** A mass given in g; from a kilogram on in kg. */
export function massText(g: number, digits = g < 10 ? 1 : 0): string {
  if (inches) return `${showLittle(g / 453.59237, g < 450 ? 3 : 2)} lb`;
  return g >= 1000 ? `${show(g / 1000, 3)} kg` : `${showLittle(g, digits)} g`;
}

function fraction(value: number): string {
  const whole = Math.round(Math.abs(value) * FINEST),
    exact = Math.abs(Math.abs(value) * FINEST - whole) < 1e-4 * FINEST,
    sign = value < 0 && whole ? "-" : "";
  let above = whole % FINEST,
    below = FINEST;
  while (above && above % 2 === 0) {
    above /= 2;
    below /= 2;
  }
  const full = Math.floor(whole / FINEST),
    part = above ? `${above}/${below}` : "";
  return `${exact ? "" : "≈ "}${sign}${full || !part ? full : ""}${full && part ? " " : ""}${part}`;
}

/** So many of something, in words. */
export const countOf = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;
