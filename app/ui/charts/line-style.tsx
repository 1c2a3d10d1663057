import type { Tokens } from "#core/drawing/tokens";
import { useTokens } from "./use-tokens";

/** Dashes go round slower than colours, so that no two lines look alike. */
const DASHES: readonly number[][] = [[], [7, 3], [2, 3]];

export const lineStyle = (tokens: Tokens, index: number) => ({
  colour: tokens.lines[index % tokens.lines.length] as string,
  dash: DASHES[Math.floor(index / tokens.lines.length) % DASHES.length] as number[],
});

/** A short piece of a line as it is drawn, for legends. */
export function LineSwatch({ index }: { index: number }) {
  const tokens = useTokens();
  const { colour, dash } = lineStyle(tokens, index);
  return (
    <svg width="26" height="10" aria-hidden="true" style={{ flex: "none" }}>
      <path d="M1 5 H25" stroke={colour} strokeWidth="2.5" strokeDasharray={dash.join(" ")} />
    </svg>
  );
}
