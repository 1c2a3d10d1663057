import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import type { Severity } from "#core/alarms/severity";
import { SeverityMark } from "./SeverityMark";

/** The head of every page: one sentence that says the state, then what can be done. */
export function PageHead({
  name,
  sentence,
  severity,
  actions,
}: {
  name: string;
  sentence: ReactNode;
  severity?: Severity;
  actions?: ReactNode;
}) {
  return (
    <Stack direction="row" sx={{ alignItems: "flex-start", gap: 2, mb: 1.5 }}>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="caption" component="p" sx={{ color: "text.secondary", letterSpacing: "0.04em" }}>
          {name}
        </Typography>
        <Typography variant="h1" sx={severity ? { display: "flex", gap: 1, alignItems: "flex-start" } : {}}>
          {severity ? <SeverityMark severity={severity} size={24} /> : null}
          <span>{sentence}</span>
        </Typography>
      </Box>
      {actions ? (
        <Stack direction="row" sx={{ gap: 1, flex: "none", pt: 0.5, flexWrap: "wrap", justifyContent: "flex-end" }}>
          {actions}
        </Stack>
      ) : null}
    </Stack>
  );
}

/** A framed part of a page with a heading of its own. */
export function Section({
  title,
  aside,
  children,
  pad = true,
  id,
}: {
  title: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  pad?: boolean;
  id?: string;
}) {
  return (
    <Paper component="section" variant="outlined" {...(id ? { id } : {})} sx={{ minWidth: 0, overflow: "hidden" }}>
      <Stack
        direction="row"
        sx={{ alignItems: "center", gap: 1, px: 1.5, py: 0.5, minHeight: 36, borderBottom: 1, borderColor: "divider" }}
      >
        <Typography variant="h2" sx={{ flex: 1, minWidth: 0 }} noWrap>
          {title}
        </Typography>
        {aside}
      </Stack>
      <Box sx={pad ? { p: 1.5 } : {}}>{children}</Box>
    </Paper>
  );
}

/** What an empty part says: why, and what to do next. */
export function Empty({ children }: { children: ReactNode }) {
  return (
    <Typography variant="body2" sx={{ color: "text.secondary", py: 1 }}>
      {children}
    </Typography>
  );
}

/** A sentence that says what is wrong and what to do. */
export function Problem({ children }: { children: ReactNode }) {
  return children ? (
    <Alert severity="error" variant="outlined" icon={false} role="alert" sx={{ py: 0, mb: 1.5, color: "text.primary" }}>
      {children}
    </Alert>
  ) : null;
}

/** A figure with its name above it. */
export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Box sx={{ minWidth: 0 }}>
      <Typography variant="caption" component="dt" sx={{ color: "text.secondary" }}>
        {name}
      </Typography>
      <Typography variant="body2" component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
        {children}
      </Typography>
    </Box>
  );
}
