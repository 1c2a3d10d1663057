import { describe, expect, it } from "vitest";
import { DAY, NIGHT, type Tokens } from "./tokens";

/** Relative luminance and contrast ratio, WCAG 2.2. */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const channel = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return channel <= 0.04045 ? channel / 12.92 : ((channel + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}
const contrast = (a: string, b: string) => {
  const [light, dark] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (light + 0.05) / (dark + 0.05);
};

describe.each<[string, Tokens]>([
  ["day", DAY],
  ["night", NIGHT],
])("the %s theme", (_name, tokens) => {
  it.each(["ground", "surface"] as const)(
    "has text, quiet text, accent and every severity at 4.5:1 or more on its %s",
    (ground) => {
      for (const colour of [
        tokens.text,
        tokens.quiet,
        tokens.accent,
        tokens.past,
        ...tokens.lines,
        ...Object.values(tokens.severity),
      ])
        expect(`${colour} ${contrast(colour, tokens[ground]) >= 4.5}`).toBe(`${colour} true`);
    },
  );
  it("has numerals at 4.5:1 inside filled marks", () => {
    for (const severity of ["critical", "major"] as const)
      expect(contrast(tokens.onSeverity, tokens.severity[severity])).toBeGreaterThanOrEqual(4.5);
    expect(contrast(tokens.onAccent, tokens.accent)).toBeGreaterThanOrEqual(4.5);
  });
});
