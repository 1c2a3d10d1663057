import Stack from "@mui/material/Stack";
import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import { ProofWord } from "../RunState";
import { Rulings } from "./Rulings";

type Round = NonNullable<Answer<"chore">>["rounds"][number];

const ITEM_WORDS: Readonly<Record<Round["items"][number]["state"], string>> = {
  waiting: "waits",
  running: "running",
  passed: "done",
  failed: "failed",
  held: "held back",
  dropped: "not come to",
};

/** The times a chore came due, newest first, and all that the newest was about. */
export function ChoreRounds({ rounds }: { rounds: readonly Round[] }) {
  const { window: now } = useShell();
  if (rounds.length === 0)
    return (
      <Section title="Rounds">
        <Empty>It has not come due yet.</Empty>
      </Section>
    );
  return (
    <>
      {rounds
        .filter((one) => one.items.length > 0)
        .map((one) => (
          <OneRound key={one.id} round={one} />
        ))}
      <Section title="Rounds" pad={false}>
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Due</th>
              <th scope="col">State</th>
              <th scope="col">Outcome</th>
              <th scope="col">Begun by</th>
              <th scope="col">Answered by</th>
            </tr>
          </thead>
          <tbody>
            {rounds.map((one) => (
              <tr key={one.id}>
                <td className="line">{dayAndTime(one.due_at, now.nowMs, true)}</td>
                <td className="line">{one.state}</td>
                <td>{one.outcome}</td>
                <td className="line">{one.begun_by}</td>
                <td className="line">{one.answered_by ?? "–"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
    </>
  );
}

function OneRound({ round }: { round: Round }) {
  const { window: now } = useShell();
  const isForetold = round.state === "watched" || round.state === "asking";
  return (
    <Section title={`Round of ${dayAndTime(round.due_at, now.nowMs, true)}: ${round.state}`} pad={false}>
      {round.state === "asking" ? (
        <Form method="post">
          <input type="hidden" name="round" value={round.id} />
          <Stack direction="row" sx={{ gap: 1, p: 1.5, alignItems: "center" }}>
            <span>Waiting for approval until {dayAndTime(round.until, now.nowMs, true)}.</span>
            <RightButton right="respond" type="submit" name="intent" value="approve" variant="contained">
              Let it go on
            </RightButton>
            <RightButton right="respond" type="submit" name="intent" value="decline" variant="outlined">
              Decline
            </RightButton>
          </Stack>
        </Form>
      ) : null}
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">On</th>
            <th scope="col">Why</th>
            <th scope="col">State</th>
            <th scope="col">{isForetold ? "Would do" : "What came of it"}</th>
          </tr>
        </thead>
        <tbody>
          {round.items.map((item) => (
            <tr key={item.id}>
              <td className="top">
                <KeepLink to={`/estate/${item.component_id}`}>{item.component}</KeepLink>
                {item.instance ? <p className="hx-caption">{item.instance}</p> : null}
              </td>
              <td className="top">{item.why}</td>
              <td className="line top">
                {isForetold ? "due" : ITEM_WORDS[item.state]}
                {item.run_id === null ? null : (
                  <>
                    {": "}
                    <KeepLink to={`/runs/${item.run_id}`}>{`run ${item.run_id}`}</KeepLink>
                  </>
                )}
              </td>
              <td className="top">
                {item.said}
                {item.proof ? <ProofWord proof={item.proof} /> : null}
                {isForetold && item.rulings.some((one) => one.holds) ? (
                  <Rulings rulings={item.rulings} warnOnly />
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
