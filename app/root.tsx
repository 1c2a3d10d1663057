import { CacheProvider } from "@emotion/react";
import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "@fontsource/atkinson-hyperlegible-mono/600.css";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Container from "@mui/material/Container";
import CssBaseline from "@mui/material/CssBaseline";
import GlobalStyles from "@mui/material/GlobalStyles";
import InitColorSchemeScript from "@mui/material/InitColorSchemeScript";
import LinearProgress from "@mui/material/LinearProgress";
import { ThemeProvider } from "@mui/material/styles";
import { SnackbarProvider } from "notistack";
import { useState, type ReactNode } from "react";
import { Links, Meta, Outlet, Scripts, ScrollRestoration, useNavigation, useRouteLoaderData } from "react-router";
import { parseDurationMs } from "#core/time/windows";
import type { Route } from "./+types/root";
import { useInnerLinks } from "./shell/inner-links";
import { KeysHelp, useFrameKeys } from "./shell/Keys";
import { LiveUpdates, useLive } from "./shell/live";
import { Palette } from "./shell/Palette";
import { Ribbon, RIBBON_SPANS } from "./shell/Ribbon";
import { TopBar } from "./shell/TopBar";
import { TrayProvider, useTray } from "./shell/tray";
import { whoIs } from "./shell/who.server";
import { windowOf } from "./shell/window.server";
import { makeStyleCache } from "./theme/emotion";
import { theme } from "./theme/theme";
import { DAY, NIGHT, type Tokens } from "./theme/tokens";
import { Failure } from "./ui/Failure";
import { Problem } from "./ui/Page";

export const meta: Route.MetaFunction = () => [
  { title: "Holotaxis" },
  { name: "description", content: "The estate, watched and repaired" },
];

const RIBBON_STEPS = 240;

export async function loader({ request, context }: Route.LoaderArgs) {
  const nowMs = context.now();
  const window = windowOf(request, nowMs);
  const asked = new URL(request.url).searchParams.get("span");
  const span = RIBBON_SPANS.find((one) => one.value === asked)?.value ?? "P1D";
  const spanMs = parseDurationMs(span) as number;
  const who = await whoIs(request);
  // Looking further back than the ribbon reaches moves the ribbon there.
  const toMs = window.fromMs < nowMs - spanMs ? Math.min(nowMs, window.toMs + spanMs / 4) : nowMs;
  const fromMs = toMs - spanMs;
  const [ribbon, tray] = await Promise.all([
    context.ask("ribbon", { fromMs, toMs, steps: RIBBON_STEPS }),
    context.ask("tray", { by: who, nowMs }),
  ]);
  return {
    window,
    span,
    who,
    tray,
    ribbon: { ...ribbon, fromMs, toMs },
    pace: context.pace,
    clockSet: context.clockSet,
    hasDrills: context.hasDrills,
    nonce: context.nonce,
  };
}

const variables = (tokens: Tokens) => ({
  ...Object.fromEntries(Object.entries(tokens.severity).map(([severity, colour]) => [`--hx-${severity}`, colour])),
  "--hx-on-severity": tokens.onSeverity,
  "--hx-past-ground": tokens.pastGround,
  "--hx-chart": tokens.chartLine,
  "--hx-raised": tokens.raised,
});

const globalStyles = (
  <GlobalStyles
    styles={{
      ":root": variables(DAY),
      '[data-theme="dark"]': variables(NIGHT),
      kbd: { fontFamily: "inherit", border: "1px solid var(--mui-palette-divider)", borderRadius: 3, padding: "0 4px" },
    }}
  />
);

const cache = typeof document === "undefined" ? undefined : makeStyleCache();

function Styled({ children }: { children: ReactNode }) {
  const themed = (
    <ThemeProvider theme={theme} defaultMode="light">
      <CssBaseline enableColorScheme />
      {globalStyles}
      {children}
    </ThemeProvider>
  );
  return cache ? <CacheProvider value={cache}>{themed}</CacheProvider> : themed;
}

export function Layout({ children }: { children: ReactNode }) {
  const nonce = useRouteLoaderData<typeof loader>("root")?.nonce;
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <meta charSet="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <link rel="icon" href="/mark.svg" type="image/svg+xml" />
        <Meta />
        <Links />
      </head>
      <body>
        <InitColorSchemeScript attribute="data-theme" defaultMode="light" {...(nonce ? { nonce } : {})} />
        {children}
        <ScrollRestoration {...(nonce ? { nonce } : {})} />
        <Scripts {...(nonce ? { nonce } : {})} />
      </body>
    </html>
  );
}

export default function App() {
  return (
    <Styled>
      <SnackbarProvider maxSnack={3} autoHideDuration={3500} anchorOrigin={{ vertical: "bottom", horizontal: "left" }}>
        <LiveUpdates>
          <TrayProvider>
            <Frame />
          </TrayProvider>
        </LiveUpdates>
      </SnackbarProvider>
    </Styled>
  );
}

function Frame() {
  const [palette, setPalette] = useState(false);
  const [keys, setKeys] = useState(false);
  const tray = useTray();
  useInnerLinks();
  const { trouble } = useLive();
  const navigation = useNavigation();
  const data = useRouteLoaderData<typeof loader>("root");
  useFrameKeys({ palette: () => setPalette(true), help: () => setKeys(true), tray: () => tray.setOpen(!tray.open) });
  const problem = data?.window.problem ?? null;
  const live = data?.window.live ?? true;
  return (
    <>
      <Box
        sx={{
          minHeight: "100vh",
          display: "flex",
          flexDirection: "column",
          minWidth: 1000,
          ...(live ? {} : { boxShadow: "inset 0 0 0 3px var(--mui-palette-secondary-main)" }),
        }}
      >
        <Box sx={{ position: "sticky", top: 0, zIndex: 1100 }}>
          <TopBar onFind={() => setPalette(true)} onKeys={() => setKeys(true)} />
          <Ribbon />
          {navigation.state === "loading" ? (
            <LinearProgress
              aria-label="Loading"
              sx={{ position: "absolute", left: 0, right: 0, bottom: -2, height: 2 }}
            />
          ) : null}
        </Box>
        <Box component="main" sx={{ flex: 1, px: 2, py: 1.5, minWidth: 0 }}>
          {trouble ? (
            <Alert severity="error" variant="filled" sx={{ mb: 1.5 }}>
              {trouble}
            </Alert>
          ) : null}
          <Problem>{problem}</Problem>
          <Outlet />
        </Box>
      </Box>
      <Palette open={palette} onClose={() => setPalette(false)} />
      <KeysHelp open={keys} onClose={() => setKeys(false)} />
    </>
  );
}

export function ErrorBoundary({ error }: Route.ErrorBoundaryProps) {
  return (
    <Styled>
      <Container maxWidth="sm" component="main" sx={{ py: 8 }}>
        <Failure error={error} />
      </Container>
    </Styled>
  );
}
