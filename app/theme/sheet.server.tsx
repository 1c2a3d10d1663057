import CssBaseline from "@mui/material/CssBaseline";
import GlobalStyles from "@mui/material/GlobalStyles";
import { ThemeProvider } from "@mui/material/styles";
import { createHash } from "node:crypto";
import { renderToStaticMarkup } from "react-dom/server";
import { plainStyles } from "./plain";
import { theme } from "./theme";
import { DAY, NIGHT, type Tokens } from "#core/drawing/tokens";

const variables = (tokens: Tokens) => ({
  ...Object.fromEntries(Object.entries(tokens.severity).map(([severity, colour]) => [`--hx-${severity}`, colour])),
  "--hx-on-severity": tokens.onSeverity,
  "--hx-past-ground": tokens.pastGround,
  "--hx-chart": tokens.chartLine,
  "--hx-usual": tokens.usual,
  "--hx-raised": tokens.raised,
});

const markup = renderToStaticMarkup(
  <ThemeProvider theme={theme} defaultMode="light">
    <CssBaseline enableColorScheme />
    <GlobalStyles
      styles={{
        ":root": variables(DAY),
        '[data-theme="dark"]': variables(NIGHT),
        kbd: {
          fontFamily: "inherit",
          border: "1px solid var(--mui-palette-divider)",
          borderRadius: 3,
          padding: "0 4px",
        },
        ...plainStyles,
      }}
    />
  </ThemeProvider>,
);

/** What every page shares of its looks, written once: the theme's variables, the baseline, the plain elements. */
export const sheet = [...markup.matchAll(/<style[^>]*>([\s\S]*?)<\/style>/g)].map((found) => found[1]).join("\n");

/** Its address changes with its content, so that a browser may keep it for good. */
export const sheetAddress = `/theme.css?v=${createHash("sha256").update(sheet).digest("hex").slice(0, 12)}`;
