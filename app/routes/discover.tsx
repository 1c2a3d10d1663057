import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import { Form, Link as RouterLink, redirect, useNavigation } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/discover";
import { act, readForm } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { OUTCOME_ORDER, OUTCOMES } from "../ui/Outcome";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Discover · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("discover", { atMs: windowOf(request, context.now()).atMs });
}

const schema = z.object({ sourceId: z.coerce.number().int().min(1) });

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const started = await act(context, request, "sweep.start", { sourceId: form.value.sourceId, wait: false });
  return started.ok ? redirect(`/discover/sweeps/${started.value}`) : started.refusal;
}

export default function Discover({ loaderData: page, actionData }: Route.ComponentProps) {
  const { window: now } = useShell();
  const busy = useNavigation().state === "submitting";
  const keep = useKeep();
  const running = page.sweeps.filter((sweep) => sweep.state === "running");
  const addresses = page.sources.reduce((sum, source) => sum + source.addresses, 0);
  const last = page.sweeps[0];
  const sentence =
    page.sources.length === 0
      ? "No sources yet. A source says where to look and how, such as an address range with its SNMP community; add the first one."
      : running.length
        ? `Sweeping ${running.map((sweep) => sweep.source).join(", ")}: ${running.reduce((sum, sweep) => sum + sweep.tried, 0)} of ${running.reduce((sum, sweep) => sum + sweep.addresses, 0)} addresses tried.`
        : `${page.sources.length} ${page.sources.length === 1 ? "source covers" : "sources cover"} ${addresses.toLocaleString("en-GB")} addresses. ${last ? `The last sweep, of ${last.source} ${dayAndTime(last.started_at, now.nowMs)}, found ${(last.found.new ?? 0) + (last.found.back ?? 0)} new, ${last.found.changed ?? 0} changed and ${last.found.gone ?? 0} gone.` : "None has been swept yet."}`;
  return (
    <>
      <PageHead
        name="Discover"
        sentence={sentence}
        actions={
          <Button component={RouterLink} to={keep("/discover/sources/new")} variant="contained">
            Add a source
          </Button>
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Sources" pad={false}>
          {page.sources.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>With a source you say where to look. Passwords and communities are kept encrypted.</Empty>
            </Box>
          ) : (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Source</th>
                  <th scope="col">Type</th>
                  <th scope="col">Covers</th>
                  <th scope="col" className="num">
                    Addresses
                  </th>
                  <th scope="col" className="num">
                    Poll every
                  </th>
                  <th scope="col">Last sweep</th>
                  <th scope="col" className="num">
                    Actions
                  </th>
                </tr>
              </thead>
              <tbody>
                {page.sources.map((source) => (
                  <tr key={source.id}>
                    <td>
                      <KeepLink to={`/discover/sources/${source.id}`}>{source.name}</KeepLink>
                    </td>
                    <td>{source.kindLabel}</td>
                    <td style={{ maxWidth: 360 }}>{source.covers}</td>
                    <td className="num">{source.isSwept ? source.addresses.toLocaleString("en-GB") : "–"}</td>
                    <td className="num">
                      {source.pollSeconds === null ? "–" : spokenDuration(source.pollSeconds * 1000)}
                    </td>
                    <td>
                      {source.last ? (
                        <KeepLink to={`/discover/sweeps/${source.last.id}`}>
                          {source.last.state === "running" ? "running" : dayAndTime(source.last.started_at, now.nowMs)}
                        </KeepLink>
                      ) : source.isSwept ? (
                        "never"
                      ) : (
                        "reports by itself"
                      )}
                    </td>
                    <td className="num">
                      {source.isSwept ? (
                        <Form method="post">
                          <input type="hidden" name="sourceId" value={source.id} />
                          <Button
                            type="submit"
                            variant="outlined"
                            disabled={busy || source.last?.state === "running"}
                            aria-label={`Sweep ${source.name} now`}
                          >
                            Sweep now
                          </Button>
                        </Form>
                      ) : null}
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          )}
        </Section>
        <Section title="Sweeps" pad={false}>
          {page.sweeps.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>No sweep until this instant.</Empty>
            </Box>
          ) : (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Started</th>
                  <th scope="col">Source</th>
                  <th scope="col">State</th>
                  <th scope="col" className="num">
                    Tried
                  </th>
                  <th scope="col" className="num">
                    Answering
                  </th>
                  <th scope="col" className="num">
                    Recognised
                  </th>
                  {OUTCOME_ORDER.filter((outcome) => outcome !== "back").map((outcome) => (
                    <th scope="col" key={outcome} className="num" title={OUTCOMES[outcome].explained}>
                      {OUTCOMES[outcome].label}
                    </th>
                  ))}
                  <th scope="col">By</th>
                </tr>
              </thead>
              <tbody>
                {page.sweeps.map((sweep) => (
                  <tr key={sweep.id}>
                    <td>
                      <KeepLink to={`/discover/sweeps/${sweep.id}`}>{dayAndTime(sweep.started_at, now.nowMs)}</KeepLink>
                    </td>
                    <td>{sweep.source}</td>
                    <td>
                      {sweep.state === "running" ? (
                        <LinearProgress
                          variant="determinate"
                          value={(sweep.tried / sweep.addresses) * 100}
                          aria-label="Progress"
                          sx={{ width: 80 }}
                        />
                      ) : (
                        sweep.state
                      )}
                    </td>
                    <td className="num">{sweep.tried}</td>
                    <td className="num">{sweep.answering}</td>
                    <td className="num">{sweep.recognised}</td>
                    {OUTCOME_ORDER.filter((outcome) => outcome !== "back").map((outcome) => (
                      <td key={outcome} className="num">
                        {sweep.found[outcome] ? (
                          <KeepLink to={`/discover/sweeps/${sweep.id}?outcome=${outcome}`}>
                            {sweep.found[outcome]}
                          </KeepLink>
                        ) : (
                          "–"
                        )}
                      </td>
                    ))}
                    <td>{sweep.started_by}</td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          )}
        </Section>
      </Stack>
    </>
  );
}
