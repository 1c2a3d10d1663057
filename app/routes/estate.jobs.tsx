import Stack from "@mui/material/Stack";
import { clockTime, dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/estate.jobs";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { RunBars } from "../ui/jobs/RunBars";
import { RunList } from "../ui/jobs/RunList";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Jobs · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const nowMs = context.now();
  const { atMs } = windowOf(request, nowMs);
  const job = Number(new URL(request.url).searchParams.get("job")) || null;
  return { atMs, ...(await context.ask("jobs", { atMs, job })) };
}

type Job = Route.ComponentProps["loaderData"]["jobs"][number];

function sentenceOf({ jobs }: Route.ComponentProps["loaderData"]): string {
  if (jobs.length === 0) return "No runs of batch jobs are known at this instant.";
  const count = (fits: (job: Job) => boolean) => jobs.filter(fits).length;
  const parts = [
    [count((job) => job.last.outcome === "running"), "running"],
    [count((job) => job.last.outcome === "failed"), "failed last"],
    [count((job) => job.missedMs !== null), "did not start when due"],
  ].filter(([number]) => number !== 0);
  const rest = parts.length ? parts.map(([number, words]) => `${number} ${words}`).join(", ") : "all as usual";
  return `${jobs.length} ${jobs.length === 1 ? "job" : "jobs"}: ${rest}.`;
}

const OUTCOMES = { running: "running", done: "done", failed: "failed", unknown: "end not told" } as const;

function lastWords({ last, missedMs }: Job, atMs: number): string {
  if (missedMs !== null) return `did not start at ${dayAndTime(missedMs, atMs)}`;
  const took = (last.endedMs ?? atMs) - last.startedMs;
  if (last.outcome === "running") return `running for ${spokenDuration(took)}`;
  return last.outcome === "unknown" ? OUTCOMES.unknown : `${OUTCOMES[last.outcome]} in ${spokenDuration(took)}`;
}

const ruleOf = (job: Job): string =>
  `/setup/rules/new?${new URLSearchParams({ detector: "jobs", job: job.name, name: `${job.name} takes too long` })}`;

export default function Jobs({ loaderData: page }: Route.ComponentProps) {
  const { jobs, more, chosen, isRead, atMs } = page;
  return (
    <>
      <PageHead name="Estate › Jobs" sentence={sentenceOf(page)} />
      <Stack sx={{ gap: 1.5 }}>
        <Section title={`Jobs: ${jobs.length}`} pad={false}>
          {jobs.length === 0 ? (
            <div className="hx-pad">
              <Empty>
                {isRead ? (
                  "Nothing in the logs has told of a run yet."
                ) : (
                  <>
                    Say which lines of the logs tell that a run begins and ends, under{" "}
                    <KeepLink to="/setup/signals">Set-up › Signals</KeepLink>. What is kept of the logs is read for them
                    too.
                  </>
                )}
              </Empty>
            </div>
          ) : (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Job</th>
                  <th scope="col">Component</th>
                  <th scope="col">Last runs</th>
                  <th scope="col">Started</th>
                  <th scope="col">Outcome</th>
                  <th scope="col">Usually takes</th>
                  <th scope="col">Due</th>
                  <th scope="col">Next</th>
                  <th scope="col">Actions</th>
                </tr>
              </thead>
              <tbody>
                {jobs.map((job) => (
                  <tr key={job.id} aria-current={job.id === chosen?.id || undefined}>
                    <td>
                      <span className="hx-row" style={{ gap: 6 }}>
                        <SeverityMark severity={job.severity} size={14} />
                        <KeepLink to={`/estate/jobs?job=${job.id}`}>{job.name}</KeepLink>
                      </span>
                    </td>
                    <td>
                      <KeepLink to={`/estate/${job.componentId}`}>{job.component}</KeepLink>
                    </td>
                    <td>
                      <RunBars runs={job.runs} atMs={atMs} />
                    </td>
                    <td className="line">{dayAndTime(job.last.startedMs, atMs)}</td>
                    <td>{lastWords(job, atMs)}</td>
                    <td className="line">{job.usual ? spokenDuration(job.usual.medianMs) : "not known yet"}</td>
                    <td>{job.schedule ?? "at will"}</td>
                    <td className="line">{job.nextMs === null ? "" : dayAndTime(job.nextMs, atMs)}</td>
                    <td>
                      <KeepLink to={ruleOf(job)} label={`Make a rule for ${job.name} of ${job.component}`}>
                        Make a rule
                      </KeepLink>
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          )}
        </Section>
        {more > 0 ? <p className="hx-quiet">{more} more are not shown.</p> : null}
        {chosen ? <RunList job={chosen} atMs={atMs} /> : null}
        {jobs.length > 0 ? (
          <p className="hx-quiet">
            What is usual is learned from the last 40 runs; when a job is due, from when it started. As of{" "}
            {clockTime(atMs)} UTC.
          </p>
        ) : null}
      </Stack>
    </>
  );
}
