import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { dayAndTime } from "#core/time/windows";
import type { ChangeRow } from "#server/store/changes";
import { KeepLink } from "./KeepLink";
import { Empty } from "./Page";

/** Changes, newest first, each with who or what made it known. */
export function ChangeList({ changes, nowMs, empty }: { changes: readonly ChangeRow[]; nowMs: number; empty: string }) {
  if (changes.length === 0) return <Empty>{empty}</Empty>;
  return (
    <Stack component="ol" sx={{ gap: 1, p: 0, m: 0, listStyle: "none" }}>
      {changes.map((change) => (
        <Box component="li" key={change.id} sx={{ minWidth: 0 }}>
          <Typography
            variant="body2"
            sx={{
              overflowWrap: "anywhere",
              display: "-webkit-box",
              WebkitLineClamp: 3,
              WebkitBoxOrient: "vertical",
              overflow: "hidden",
            }}
            title={change.summary}
          >
            {change.component_id ? (
              <KeepLink to={`/estate/${change.component_id}`} color="text.primary">
                {change.summary}
              </KeepLink>
            ) : (
              change.summary
            )}
          </Typography>
          <Typography variant="caption" component="p" sx={{ color: "text.secondary" }}>
            {dayAndTime(change.at, nowMs)} · {change.by_whom}
            {change.ticket ? ` · ${change.ticket}` : ""}
          </Typography>
        </Box>
      ))}
    </Stack>
  );
}
