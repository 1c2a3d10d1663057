import Box from "@mui/material/Box";
import { Fragment, useState } from "react";
import { formatValue } from "#core/units/format";
import type { DrawnSpan } from "#server/pages/traces";
import { KeepLink } from "./KeepLink";
import { Fact } from "./Page";

/** The spans of a trace from the top down, each as long as it took; one can be opened for its attributes and events. */
export function Waterfall({ spans, narrow = false }: { spans: readonly DrawnSpan[]; narrow?: boolean }) {
  const [open, setOpen] = useState<string | null>(null);
  const startMs = Math.min(...spans.map((span) => span.startMs));
  const lengthMs = Math.max(0.001, Math.max(...spans.map((span) => span.startMs + span.durationMs)) - startMs);
  return (
    <Box component="ol" aria-label="Spans" sx={{ m: 0, p: 0, listStyle: "none", fontSize: "0.8rem" }}>
      {spans.map((span) => {
        const left = ((span.startMs - startMs) / lengthMs) * 100;
        const width = Math.max(0.3, (span.durationMs / lengthMs) * 100);
        return (
          <Fragment key={span.id}>
            <Box
              component="li"
              sx={{
                display: "grid",
                gridTemplateColumns: narrow ? "46% 1fr 62px" : "36% 1fr 76px",
                alignItems: "center",
                borderBottom: 1,
                borderColor: "divider",
                "&:hover": { bgcolor: "var(--hx-raised)" },
              }}
            >
              <Box
                component="button"
                type="button"
                aria-expanded={open === span.id}
                onClick={() => setOpen(open === span.id ? null : span.id)}
                title={`${span.name} at ${span.sender}, ${span.kind}`}
                sx={{
                  all: "unset",
                  boxSizing: "border-box",
                  cursor: "pointer",
                  pl: 1 + span.depth * (narrow ? 1 : 1.75),
                  pr: 1,
                  py: 0.5,
                  overflow: "hidden",
                  textOverflow: "ellipsis",
                  whiteSpace: "nowrap",
                  minWidth: 0,
                  "&:focus-visible": { outline: "2px solid var(--mui-palette-primary-main)", outlineOffset: -2 },
                }}
              >
                <span
                  style={{
                    fontWeight: span.kind === "answered" ? 600 : 400,
                    color: span.failed ? "var(--hx-major)" : "inherit",
                  }}
                >
                  {span.failed ? "✕ " : ""}
                  {span.name}
                </span>
                <span style={{ color: "var(--mui-palette-text-secondary)" }}> {span.senderLabel}</span>
              </Box>
              <Box aria-hidden="true" sx={{ position: "relative", height: 14 }}>
                <Box
                  sx={{
                    position: "absolute",
                    top: span.kind === "answered" ? 1 : 4,
                    bottom: span.kind === "answered" ? 1 : 4,
                    left: `${left}%`,
                    width: `${Math.min(width, 100 - left)}%`,
                    bgcolor: span.failed ? "var(--hx-major)" : "var(--hx-chart)",
                    opacity: span.kind === "answered" ? 0.85 : 0.45,
                  }}
                />
              </Box>
              <Box sx={{ textAlign: "right", pr: 1, whiteSpace: "nowrap" }}>{formatValue(span.durationMs, "ms")}</Box>
            </Box>
            {open === span.id ? (
              <Box component="li" sx={{ bgcolor: "var(--hx-raised)", p: 1.5, borderBottom: 1, borderColor: "divider" }}>
                <Box
                  component="dl"
                  sx={{
                    display: "grid",
                    gridTemplateColumns: `repeat(${narrow ? 2 : 4}, minmax(0, 1fr))`,
                    gap: 1,
                    m: 0,
                  }}
                >
                  <Fact name="At">
                    {span.componentId === null ? (
                      span.sender
                    ) : (
                      <KeepLink to={`/estate/${span.componentId}`}>{span.sender}</KeepLink>
                    )}
                  </Fact>
                  <Fact name="Kind">{span.kind}</Fact>
                  <Fact name="Self time">{formatValue(span.ownMs, "ms")}</Fact>
                  {span.message ? <Fact name="Error">{span.message}</Fact> : null}
                  {span.attributes.map((one) => (
                    <Fact key={one.name} name={one.name}>
                      {one.value}
                    </Fact>
                  ))}
                  {span.events.map((event) => (
                    <Fact
                      key={`${event.atMs}${event.name}`}
                      name={`${event.name} after ${formatValue(event.atMs - span.startMs, "ms")}`}
                    >
                      {event.text}
                    </Fact>
                  ))}
                </Box>
              </Box>
            ) : null}
          </Fragment>
        );
      })}
    </Box>
  );
}
