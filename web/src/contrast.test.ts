import { readFileSync } from "node:fs";
import { expect, test } from "vitest";

/** Relative luminance as WCAG 2 defines it. */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((k) => {
    const v = parseInt(hex.slice(k, k + 2), 16) / 255;
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
}

function contrast(a: string, b: string): number {
  const [dark, light] = [luminance(a), luminance(b)].sort((x, y) => x - y);
  return (light! + 0.05) / (dark! + 0.05);
}

test("every text colour stands out from every ground by 4.5 to 1, by day and in the evening", () => {
  const themes = [...readFileSync("src/styles.css", "utf8").matchAll(/:root[^{]*\{([^}]*)\}/g)]
    .map((block) => new Map([...block[1]!.matchAll(/--(\w+):\s*(#[0-9a-f]{6})/g)].map((m) => [m[1]!, m[2]!])))
    .filter((theme) => theme.has("paper"));
  expect(themes.length).toBe(2);
  for (const theme of themes) {
    const weak = ["ink", "faint", "brick", "verdigris", "ochre", "madder"].flatMap((text) =>
      ["paper", "raised", "blush"]
        .filter((ground) => contrast(theme.get(text)!, theme.get(ground)!) < 4.5)
        .map((ground) => `${text} on ${ground}`),
    );
    const onButtons = ["brick", "verdigris"].filter(
      (ground) => contrast(theme.get("onbrick")!, theme.get(ground)!) < 4.5,
    );
    expect([...weak, ...onButtons]).toEqual([]);
  }
});
