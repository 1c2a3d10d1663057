import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useRef, useState } from "react";
import { useRevalidator } from "react-router";
import { monthAndYear } from "#core/units/money";
import { Caption, Problem, Row } from "../Page";
import { RightButton } from "../RightButton";

interface Taken {
  lines: number;
  items: number;
  months: number[];
  unknown: readonly string[];
  replaced: number;
}

type Answer = { ok: true; taken: Taken } | { ok: false; problem: string };
type State = { step: "idle" } | { step: "sending"; name: string } | { step: "done"; name: string; taken: Taken };

const whole = (count: number) => count.toLocaleString("en-GB");

function sentenceOf({ name, taken }: { name: string; taken: Taken }): string {
  const months = [...taken.months].sort((a, b) => a - b).map(monthAndYear);
  const of =
    months.length > 3 ? `${months[0]} to ${months.at(-1)} (${months.length} billing periods)` : months.join(", ");
  return `${name}: ${whole(taken.lines)} lines of ${of} were taken in, ${whole(taken.items)} different charges.${taken.replaced ? " What was known of the same accounts and periods was replaced." : ""}${taken.unknown.length ? ` Columns that FOCUS does not have were left out: ${taken.unknown.slice(0, 6).join(", ")}${taken.unknown.length > 6 ? " …" : ""}.` : ""}`;
}

/** Sends a file as it is; the server reads it line by line and answers when all of it is safe. */
export function SpendFile() {
  const input = useRef<HTMLInputElement>(null);
  const [state, setState] = useState<State>({ step: "idle" });
  const [problem, setProblem] = useState<string | null>(null);
  const [replaces, setReplaces] = useState(true);
  const { revalidate } = useRevalidator();

  async function send(file: File): Promise<void> {
    setProblem(null);
    setState({ step: "sending", name: file.name });
    try {
      const response = await fetch(
        `/estate/spend/file?name=${encodeURIComponent(file.name.slice(0, 120))}&replaces=${replaces ? 1 : 0}`,
        { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } },
      );
      const answer = (await response.json()) as Answer;
      if (answer.ok) {
        setState({ step: "done", name: file.name, taken: answer.taken });
        void revalidate();
      } else {
        setState({ step: "idle" });
        setProblem(answer.problem);
      }
    } catch {
      setState({ step: "idle" });
      setProblem(
        "The file could not be sent to its end. Check the connection and send it again; nothing was taken in.",
      );
    }
    if (input.current) input.current.value = "";
  }

  return (
    <>
      <Problem>{problem ? <span style={{ whiteSpace: "pre-line" }}>{problem}</span> : null}</Problem>
      <Row>
        <RightButton
          right="configure"
          variant="outlined"
          disabled={state.step === "sending"}
          onClick={() => input.current?.click()}
        >
          {state.step === "sending" ? "Reading …" : "Choose a file"}
        </RightButton>
        <input
          ref={input}
          type="file"
          accept=".csv,.parquet"
          aria-label="File of costs"
          hidden
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file) void send(file);
          }}
        />
        <FormControlLabel
          control={<Checkbox size="small" checked={replaces} onChange={(_event, on) => setReplaces(on)} />}
          label="It replaces what is known of the same accounts and billing periods"
        />
      </Row>
      <p className="hx-caption" role="status">
        {state.step === "sending"
          ? `${state.name} is being read; nothing counts before all of it is safe.`
          : state.step === "done"
            ? sentenceOf(state)
            : ""}
      </p>
      <Caption>
        CSV or Parquet in the FOCUS format, version 1.0 or later. Charges are kept as sums by day (UTC) and by what they
        are of; corrections count in the days that they correct.
      </Caption>
    </>
  );
}
