import { useColorScheme } from "@mui/material/styles";
import { tokensOf, type Tokens } from "#core/drawing/tokens";

/** Theme in force, once the browser knows it. */
export function useTokens(): Tokens {
  const { mode, systemMode } = useColorScheme();
  return tokensOf(mode === "system" ? systemMode : mode);
}
