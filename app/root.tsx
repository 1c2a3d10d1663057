import { CacheProvider } from "@emotion/react";
import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "@fontsource/atkinson-hyperlegible-mono/600.css";
import Alert from "@mui/material/Alert";
import Container from "@mui/material/Container";
import InitColorSchemeScript from "@mui/material/InitColorSchemeScript";
import { ThemeProvider } from "@mui/material/styles";
import { SnackbarProvider } from "notistack";
import { useEffect, useState, type ReactNode } from "react";
import {
  Links,
  Meta,
  Outlet,
  redirect,
  Scripts,
  ScrollRestoration,
  useNavigation,
  useRouteLoaderData,
} from "react-router";
import { signInAddress } from "#core/people/entrance";
import { parseDurationMs } from "#core/time/windows";
import type { Route } from "./+types/root";
import { useInnerLinks } from "./shell/inner-links";
import { KeysHelp, useFrameKeys } from "./shell/Keys";
import { takeCatalogue } from "./shell/catalogue";
import { LiveUpdates, useLive } from "./shell/live";
import { Palette } from "./shell/Palette";
import { Ribbon, RIBBON_SPANS } from "./shell/Ribbon";
import { TopBar } from "./shell/TopBar";
import { useTrail } from "./shell/trail";
import { TrayProvider, useTray } from "./shell/tray";
import { useShell } from "./shell/window";
import { windowOf } from "./shell/window.server";
import type { Principal } from "#server/people/principal";
import { makeStyleCache } from "./theme/emotion";
import { sheetAddress } from "./theme/sheet.server";
import { theme } from "./theme/theme";
import { Failure } from "./ui/Failure";
import { Problem } from "./ui/Page";

export const meta: Route.MetaFunction = () => [
  { title: "Holotaxis" },
  { name: "description", content: "The estate, watched and repaired" },
];

const RIBBON_STEPS = 240;

export async function loader({ request, context }: Route.LoaderArgs) {
  takeCatalogue(context.catalogue);
  const page = { nonce: context.nonce, sheet: sheetAddress, catalogue: context.catalogue };
  const { pathname, search } = new URL(request.url);
  if (!context.who) {
    // Every page but these takes signing in; those that ask nothing of the store too.
    if (!OPEN_PAGES.has(pathname)) throw redirect(signInAddress(pathname + search));
    return { ...page, who: null };
  }
  const { who, shell } = await shellOf(request, context, context.who);
  return { ...page, ...shell, who };
}

/** Pages that show themselves to anybody. */
const OPEN_PAGES: ReadonlySet<string> = new Set(["/sign-in", "/join"]);

/** What the frame of every page shows: clock, window, ribbon, tray, who. */
async function shellOf(request: Request, context: Route.LoaderArgs["context"], person: Principal) {
  const nowMs = context.now();
  const window = windowOf(request, nowMs);
  const asked = new URL(request.url).searchParams.get("span");
  const chosen = RIBBON_SPANS.find((one) => one.value === asked)?.value ?? "P1D";
  // A window that is longer than the ribbon stretches it.
  const length = window.toMs - window.fromMs;
  const span =
    length > (parseDurationMs(chosen) as number)
      ? (RIBBON_SPANS.find((one) => one.ms >= length) ?? RIBBON_SPANS.at(-1) ?? RIBBON_SPANS[0]).value
      : chosen;
  const spanMs = parseDurationMs(span) as number;
  // Looking further back than the ribbon reaches moves the ribbon there.
  const toMs = window.fromMs < nowMs - spanMs ? Math.min(nowMs, window.toMs + spanMs / 4) : nowMs;
  const fromMs = toMs - spanMs;
  const { ribbon, ...rest } = await context.ask("shellNow", {
    nowMs,
    by: person.name,
    ribbon: { fromMs, toMs, steps: RIBBON_STEPS },
    hasDrills: context.hasDrills,
  });
  const { name, role, rights, via } = person;
  return {
    who: { name, role, rights, via },
    shell: {
      ...rest,
      window,
      span,
      ribbon: { ...ribbon, fromMs, toMs },
      pace: context.pace(),
      wantedPace: context.wantedPace(),
      clockSet: context.clockSet,
      hasDrills: context.hasDrills,
    },
  };
}

const cache = typeof document === "undefined" ? undefined : makeStyleCache();

function Styled({ children }: { children: ReactNode }) {
  const themed = (
    // The theme's variables stand in the shared sheet (`theme/sheet.server.tsx`).
    <ThemeProvider theme={theme} defaultMode="light" {...{ disableStyleSheetGeneration: true }}>
      {children}
    </ThemeProvider>
  );
  return cache ? <CacheProvider value={cache}>{themed}</CacheProvider> : themed;
}

export function Layout({ children }: { children: ReactNode }) {
  const shell = useRouteLoaderData<typeof loader>("root");
  const nonce = shell?.nonce;
  // Whoever drives pages by program waits for it: before, a click goes to a page that does not listen yet.
  useEffect(() => document.documentElement.setAttribute("data-alive", ""), []);
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <meta charSet="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <link rel="icon" href="/mark.svg" type="image/svg+xml" />
        <Meta />
        <link rel="stylesheet" href={shell?.sheet ?? "/theme.css"} />
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

export default function App({ loaderData }: Route.ComponentProps) {
  takeCatalogue(loaderData.catalogue);
  if (!loaderData.who)
    return (
      <Styled>
        <Outlet />
      </Styled>
    );
  return (
    <Styled>
      <SnackbarProvider
        maxSnack={3}
        autoHideDuration={3500}
        anchorOrigin={{ vertical: "bottom", horizontal: "center" }}
      >
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
  const { problem: storeProblem } = useLive();
  const navigation = useNavigation();
  const data = useShell();
  useTrail(data.practice, data.window.nowMs);
  useFrameKeys({ palette: () => setPalette(true), help: () => setKeys(true), tray: () => tray.setOpen(!tray.open) });
  const { problem, live } = data.window;
  return (
    <>
      <div className={live ? "hx-frame" : "hx-frame hx-past"}>
        <div className="hx-frame-top">
          <TopBar onFind={() => setPalette(true)} onKeys={() => setKeys(true)} />
          <Ribbon />
          {navigation.state === "loading" ? (
            <div role="progressbar" aria-label="Loading" className="hx-loading" />
          ) : null}
        </div>
        <main>
          {storeProblem ? (
            <Alert severity="error" variant="filled" sx={{ mb: 1.5 }}>
              {storeProblem}
            </Alert>
          ) : null}
          <Problem>{problem}</Problem>
          <Outlet />
        </main>
      </div>
      {palette ? <Palette onClose={() => setPalette(false)} /> : null}
      {keys ? <KeysHelp onClose={() => setKeys(false)} /> : null}
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
