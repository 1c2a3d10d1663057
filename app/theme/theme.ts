import { createTheme } from "@mui/material/styles";
import { DAY, NIGHT, type Tokens } from "#core/drawing/tokens";

const BODY = '"Atkinson Hyperlegible Next Variable", system-ui, sans-serif';
export const MONO = '"Atkinson Hyperlegible Mono", ui-monospace, monospace';

/** Where lists that open stand: messages stand at 1400. */
const ABOVE_MESSAGES = 1450;

const palette = (tokens: Tokens) => ({
  primary: { main: tokens.accent, contrastText: tokens.onAccent },
  secondary: { main: tokens.past, contrastText: tokens.onAccent },
  error: { main: tokens.severity.critical },
  warning: { main: tokens.severity.major },
  info: { main: tokens.severity.warning },
  success: { main: tokens.accent },
  background: { default: tokens.ground, paper: tokens.surface },
  text: { primary: tokens.text, secondary: tokens.quiet },
  divider: tokens.line,
});

/** Day and night, both as custom properties, so that switching draws nothing anew. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-theme" },
  colorSchemes: { light: { palette: palette(DAY) }, dark: { palette: palette(NIGHT) } },
  shape: { borderRadius: 4 },
  spacing: 8,
  typography: {
    fontFamily: BODY,
    fontSize: 13,
    h1: { fontSize: "1.2rem", fontWeight: 600, lineHeight: 1.35, textWrap: "pretty" },
    h2: { fontSize: "0.95rem", fontWeight: 650, lineHeight: 1.4 },
    h3: { fontSize: "0.875rem", fontWeight: 600 },
    body1: { fontSize: "0.9rem" },
    body2: { fontSize: "0.84rem" },
    caption: { fontSize: "0.76rem" },
    button: { textTransform: "none", fontWeight: 600 },
  },
  transitions: {
    duration: {
      shortest: 80,
      shorter: 100,
      short: 120,
      standard: 140,
      complex: 150,
      enteringScreen: 120,
      leavingScreen: 100,
    },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: "tabular-nums" },
        // Over what the library's own controls say, which take the outline away.
        "*:focus-visible, .Mui-focusVisible": {
          outline: "2px solid var(--mui-palette-primary-main) !important",
          outlineOffset: "1px !important",
        },
        "@media (prefers-reduced-motion: reduce)": {
          "*, *::before, *::after": {
            animationDuration: "0.001ms !important",
            transitionDuration: "0.001ms !important",
          },
        },
        code: { fontFamily: MONO, fontSize: "0.92em" },
      },
    },
    MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: "none" } } },
    MuiButton: { defaultProps: { size: "small", disableElevation: true } },
    MuiIconButton: { defaultProps: { size: "small" } },
    MuiTextField: { defaultProps: { size: "small" } },
    MuiSelect: { defaultProps: { size: "small" } },
    MuiAutocomplete: {
      styleOverrides: { paper: { border: "1px solid var(--mui-palette-divider)" }, popper: { zIndex: ABOVE_MESSAGES } },
    },
    // A list that a person has opened is never covered by a message that comes meanwhile.
    MuiPopover: { styleOverrides: { root: { zIndex: ABOVE_MESSAGES } } },
    MuiTooltip: { defaultProps: { enterDelay: 250 } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiLink: {
      defaultProps: { underline: "always" },
      styleOverrides: {
        root: {
          textDecorationColor: "color-mix(in srgb, currentColor 35%, transparent)",
          textUnderlineOffset: 2,
          "&:hover": { textDecorationColor: "currentColor" },
        },
      },
    },
  },
});
