import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useRef } from "react";
import { Form, useNavigation } from "react-router";
import { readTrail } from "../../shell/trail";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

/** A blind drill: started without knowing which, ended by naming the cause. */
export function BlindDrill({
  blind,
  verdict,
  anyRunning,
  groups,
}: {
  blind: { id: number; startedAt: number; tries: number; found: number; isOver: boolean } | null;
  verdict: { isRight: boolean; left: number } | undefined;
  anyRunning: boolean;
  /** What drills are about, to choose from. */
  groups: readonly string[];
}) {
  const busy = useNavigation().state === "submitting";
  const trail = useRef<HTMLInputElement>(null);
  if (!blind) return <StartBlind isRight={verdict?.isRight === true} anyRunning={anyRunning} groups={groups} />;
  const found = blind.found > 0 ? ` ${blind.found} found so far; something else is wrong too.` : "";
  return (
    <Section title="Blind drill">
      <Form
        method="post"
        onSubmit={() => {
          if (trail.current) trail.current.value = JSON.stringify(readTrail(blind.id));
        }}
      >
        <input type="hidden" name="attempt" value={blind.id} />
        <input type="hidden" name="trail" ref={trail} defaultValue="[]" />
        {verdict ? (
          <Alert severity={verdict.isRight ? "success" : "warning"} sx={{ mb: 1.5 }}>
            {verdict.isRight
              ? `Right.${found}`
              : "That is not it. Look at what came first, and at what its siblings do."}
          </Alert>
        ) : null}
        <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start", flexWrap: "wrap" }}>
          <TextField
            name="cause"
            label="Cause"
            size="small"
            sx={{ minWidth: 320 }}
            helperText="A host, a process @ host, or a line: two sites with a dash between them"
            slotProps={{ htmlInput: { maxLength: 200, autoComplete: "off" } }}
          />
          <RightButton right="respond" type="submit" name="intent" value="name" variant="contained" disabled={busy}>
            Name it
          </RightButton>
          <RightButton right="respond" type="submit" name="intent" value="nothing" variant="outlined" disabled={busy}>
            Nothing is wrong
          </RightButton>
          <RightButton right="respond" type="submit" name="intent" value="give-up" disabled={busy}>
            Show the answer
          </RightButton>
        </Box>
        <p className="hx-caption" style={{ margin: "8px 0 0" }}>
          {blind.tries === 0 ? "Not named yet." : `Named ${blind.tries} ${blind.tries === 1 ? "time" : "times"}.`}
          {found}
          {blind.isOver ? " Whatever it was has been repaired." : ""}
        </p>
      </Form>
    </Section>
  );
}

/** Starts one of the drills, without telling which. */
function StartBlind({
  isRight,
  anyRunning,
  groups,
}: {
  /** The one before was just named right. */
  isRight: boolean;
  anyRunning: boolean;
  groups: readonly string[];
}) {
  const busy = useNavigation().state === "submitting";
  return (
    <Section title="Blind drill">
      <Form method="post">
        <p className="hx-caption" style={{ margin: "0 0 8px" }}>
          One of the drills below is started, and you are not told which; it may be one where nothing is wrong. You are
          timed until you look at it, name its cause and repair it, and the pages you open are kept with the attempt.
        </p>
        {isRight ? (
          <Alert severity="success" sx={{ mb: 1 }}>
            Right. The attempt stands under “Attempts” below; the drill goes on until it is repaired or ended.
          </Alert>
        ) : null}
        <label className="hx-caption" style={{ marginRight: 12 }}>
          About{" "}
          <select name="group" className="hx-select" defaultValue="">
            <option value="">anything</option>
            {groups.map((group) => (
              <option key={group}>{group}</option>
            ))}
          </select>
        </label>
        <RightButton
          right="respond"
          type="submit"
          name="intent"
          value="blind"
          variant="contained"
          disabled={busy || anyRunning}
        >
          Start a blind drill
        </RightButton>
        {anyRunning ? (
          <span className="hx-caption" style={{ marginLeft: 12 }}>
            End the running drill first.
          </span>
        ) : null}
      </Form>
    </Section>
  );
}
