import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form, Link as RouterLink } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { FindingOutcome } from "#server/store/sources";
import type { Route } from "./+types/sweep";
import { act, idFrom, missing } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { OUTCOME_ORDER, OUTCOMES } from "../ui/Outcome";
import { Empty, Fact, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Sweep · Holotaxis" }];

const SHOWN = 100;

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const search = new URL(request.url).searchParams;
  const outcome: FindingOutcome | "" = OUTCOME_ORDER.find((one) => one === search.get("outcome")) ?? "";
  const page = Math.max(0, Math.min(10_000, Number(search.get("page")) || 0));
  const found = await context.ask("sweep", { id: idFrom(params.id, "sweep"), outcome, page });
  if (!found) throw missing("sweep", params.id);
  return { ...found, outcome, page };
}

export async function action({ params, context }: Route.ActionArgs) {
  const done = await act(context, "sweep.stop", { id: idFrom(params.id, "sweep") });
  if (!done.ok) return done.refusal;
  return { ok: true };
}

type Data = Route.ComponentProps["loaderData"];

const totalOf = ({ found, outcome }: Data): number =>
  outcome ? (found[outcome] ?? 0) : Object.values(found).reduce((sum, count) => sum + count, 0);

function sentenceOf({ sweep, found, isTold }: Data): string {
  const outcome = `${found.new ?? 0} new, ${found.changed ?? 0} changed, ${found.gone ?? 0} gone${found.failed ? `, and ${found.failed} that could not be read` : ""}`;
  if (isTold && sweep.state === "done")
    return `${sweep.source} was read: ${sweep.recognised.toLocaleString("en-GB")} entries. It found ${outcome}.`;
  if (sweep.state === "running")
    return `Sweeping ${sweep.source}: ${sweep.tried} of ${sweep.addresses} addresses tried, ${sweep.answering} answering, ${sweep.recognised} read.`;
  if (sweep.message) return sweep.message;
  return `The sweep of ${sweep.source} tried ${sweep.tried} addresses: ${sweep.answering} answered, ${sweep.recognised} could be read. It found ${outcome}.`;
}

export default function Sweep({ loaderData: page }: Route.ComponentProps) {
  const { sweep, findings } = page;
  const running = sweep.state === "running";
  const total = totalOf(page);
  return (
    <>
      <PageHead name="Discover › Sweep" sentence={sentenceOf(page)} actions={<Actions page={page} />} />
      {running ? (
        <LinearProgress
          variant="determinate"
          value={(sweep.tried / Math.max(1, sweep.addresses)) * 100}
          aria-label="Addresses tried"
          sx={{ mb: 1.5 }}
        />
      ) : null}
      <SweepFacts page={page} />
      {page.failures.length ? <Failures page={page} /> : null}
      <Section title="Findings" pad={false} aside={<OutcomeChoice page={page} />}>
        {findings.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>
              {running
                ? "Findings are listed as they come; what is missing or gone is known when every address has been tried."
                : "Nothing new, changed or gone: the estate is as it was."}
            </Empty>
          </Box>
        ) : (
          <Findings findings={findings} />
        )}
      </Section>
      {total > SHOWN ? <Pages page={page} total={total} /> : null}
    </>
  );
}

/** What can be done about a sweep: ended while it runs, compared with the one before when it is over. */
function Actions({ page: { sweep, beforeMs } }: { page: Data }) {
  const keep = useKeep();
  if (sweep.state === "running")
    return (
      <Form method="post">
        <RightButton right="configure" type="submit" variant="outlined" color="error">
          Stop sweep
        </RightButton>
      </Form>
    );
  return (
    <>
      {beforeMs !== null && sweep.ended_at !== null ? (
        <Button
          component={RouterLink}
          to={`/estate/differences?from=${new Date(beforeMs).toISOString()}&to=${new Date(sweep.ended_at + 1).toISOString()}`}
          variant="outlined"
        >
          Differences since the sweep before
        </Button>
      ) : null}
      <Button component={RouterLink} to={keep("/discover")} variant="outlined">
        All sweeps
      </Button>
    </>
  );
}

function SweepFacts({ page: { sweep } }: { page: Data }) {
  const { window: now } = useShell();
  return (
    <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "repeat(7, 1fr)", gap: 1.5, m: 0, mb: 1.5 }}>
      <Fact name="State">{sweep.state}</Fact>
      <Fact name="Started">{`${dayAndTime(sweep.started_at, now.nowMs, true)} by ${sweep.started_by}`}</Fact>
      <Fact name="Duration">{spokenDuration((sweep.ended_at ?? now.nowMs) - sweep.started_at)}</Fact>
      <Fact name="Addresses tried">{`${sweep.tried} of ${sweep.addresses}`}</Fact>
      <Fact name="Answering">{sweep.answering}</Fact>
      <Fact name="Read">{sweep.recognised}</Fact>
      <Fact name="Failed">{sweep.failed}</Fact>
    </Box>
  );
}

/** What could not be read, by its reason. */
function Failures({ page: { failures, found } }: { page: Data }) {
  return (
    <Box sx={{ mb: 1.5 }}>
      <Section title={`Failed: ${found.failed ?? 0}`} pad={false}>
        <PlainTable aria-label="Failures by reason">
          <thead>
            <tr>
              <th scope="col" className="num">
                How many
              </th>
              <th scope="col">Reason</th>
              <th scope="col">Where</th>
            </tr>
          </thead>
          <tbody>
            {failures.map((one) => (
              <tr key={one.reason}>
                <td className="num">{one.count}</td>
                <td>{one.reason}</td>
                <td className="cut" title={one.places} style={{ maxWidth: 320 }}>
                  {one.places}
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
    </Box>
  );
}

/** Findings of one outcome, or all. */
function OutcomeChoice({ page: { sweep, found, outcome } }: { page: Data }) {
  const keep = useKeep();
  return (
    <Stack direction="row" sx={{ gap: 0.5 }} role="group" aria-label="Show">
      <Button
        component={RouterLink}
        to={keep(`/discover/sweeps/${sweep.id}`)}
        variant={outcome === "" ? "outlined" : "text"}
        color="inherit"
        sx={{ py: 0 }}
      >
        all
      </Button>
      {OUTCOME_ORDER.filter((one) => found[one]).map((one) => (
        <Button
          key={one}
          component={RouterLink}
          to={keep(`/discover/sweeps/${sweep.id}?outcome=${one}`)}
          variant={outcome === one ? "outlined" : "text"}
          color="inherit"
          title={OUTCOMES[one].explained}
          sx={{ py: 0 }}
        >
          {OUTCOMES[one].label} {found[one]}
        </Button>
      ))}
    </Stack>
  );
}

function Findings({ findings }: { findings: Data["findings"] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Outcome</th>
          <th scope="col">Component</th>
          <th scope="col">Address</th>
          <th scope="col">Reason</th>
        </tr>
      </thead>
      <tbody>
        {findings.map((finding, index) => (
          <tr key={`${finding.title}${index}`}>
            <td className="line">{OUTCOMES[finding.outcome].label}</td>
            <td className="line">
              {finding.component_id ? (
                <KeepLink to={`/estate/${finding.component_id}`}>{finding.title}</KeepLink>
              ) : (
                finding.title
              )}
            </td>
            <td>{finding.address}</td>
            <td>{finding.detail}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Pages({ page: { sweep, outcome, page }, total }: { page: Data; total: number }) {
  return (
    <Stack direction="row" sx={{ gap: 1, alignItems: "center", mt: 1 }}>
      <Typography variant="body2">
        {page * SHOWN + 1} to {Math.min(total, (page + 1) * SHOWN)} of {total}
      </Typography>
      {page > 0 ? (
        <KeepLink to={`/discover/sweeps/${sweep.id}?outcome=${outcome}&page=${page - 1}`}>previous</KeepLink>
      ) : null}
      {(page + 1) * SHOWN < total ? (
        <KeepLink to={`/discover/sweeps/${sweep.id}?outcome=${outcome}&page=${page + 1}`}>next</KeepLink>
      ) : null}
    </Stack>
  );
}
