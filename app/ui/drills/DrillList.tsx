import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Form, useNavigation } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { useShell } from "../../shell/window";
import { Empty, Section } from "../Page";
import { RightButton } from "../RightButton";

interface ListedDrill {
  id: string;
  title: string;
  story: string;
  group: string;
  cause: string;
  repair: string;
  activeSinceMs?: number | undefined;
}

/** All drills by what they are about, each with its answer behind a word. */
export function DrillList({ drills }: { drills: readonly ListedDrill[] }) {
  const groups = [...new Set(drills.map((drill) => drill.group))];
  const running = drills.filter((drill) => drill.activeSinceMs !== undefined);
  return (
    <>
      {running.map((drill) => (
        <DrillCard key={`running ${drill.id}`} drill={drill} />
      ))}
      {groups.map((group) => {
        const own = drills.filter((drill) => drill.group === group && drill.activeSinceMs === undefined);
        if (!own.length) return null;
        return (
          <section key={group} aria-label={`Drills: ${group || "others"}`}>
            <h2 style={{ fontSize: "1rem", margin: "8px 0" }}>
              {group ? group.charAt(0).toUpperCase() + group.slice(1) : "Others"}{" "}
              <span className="hx-caption">{own.length}</span>
            </h2>
            <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))" }}>
              {own.map((drill) => (
                <DrillCard key={drill.id} drill={drill} />
              ))}
            </Box>
          </section>
        );
      })}
    </>
  );
}

function DrillCard({ drill }: { drill: ListedDrill }) {
  const { window: now } = useShell();
  const busy = useNavigation().state === "submitting";
  const isRunning = drill.activeSinceMs !== undefined;
  const verb = isRunning ? "End" : "Start";
  return (
    <Section
      title={drill.title}
      aside={
        <Form method="post">
          <input type="hidden" name="id" value={drill.id} />
          <RightButton
            right="respond"
            type="submit"
            name="intent"
            value={isRunning ? "stop" : "start"}
            disabled={busy}
            variant={isRunning ? "outlined" : "contained"}
            aria-label={`${verb}: ${drill.title}`}
          >
            {verb}
          </RightButton>
        </Form>
      }
    >
      <Typography variant="body2" sx={{ mb: 1 }}>
        {drill.story}
      </Typography>
      {drill.activeSinceMs === undefined ? null : (
        <Empty>Running since {dayAndTime(drill.activeSinceMs, now.nowMs, true)}.</Empty>
      )}
      <details>
        <summary style={{ fontSize: "0.84rem", cursor: "pointer" }}>Answer</summary>
        <Typography variant="body2" sx={{ mt: 0.5 }}>
          Cause: {drill.cause}. Repair: {drill.repair}.
        </Typography>
      </details>
    </Section>
  );
}
