import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Form, Link as RouterLink, redirect, useNavigation } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/discover";
import { attempt, readForm } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { whoIs } from "../shell/who.server";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { OUTCOME_ORDER, OUTCOMES } from "../ui/Outcome";
import { Empty, PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Discover · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("discover", { atMs: windowOf(request, context.now()).atMs });
}

const schema = z.object({ sourceId: z.coerce.number().int().min(1) });

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const by = await whoIs(request);
  const started = await attempt(() => context.tell("startSweep", form.value.sourceId, by));
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
      ? "No source yet. A source is an address range and the SNMP community that reads it; add the first one."
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
            <Table>
              <TableHead>
                <TableRow>
                  <TableCell>Source</TableCell>
                  <TableCell>Addresses</TableCell>
                  <TableCell align="right">How many</TableCell>
                  <TableCell>TCP ports</TableCell>
                  <TableCell align="right">Poll every</TableCell>
                  <TableCell>Last sweep</TableCell>
                  <TableCell component="td" />
                </TableRow>
              </TableHead>
              <TableBody>
                {page.sources.map((source) => (
                  <TableRow key={source.id}>
                    <TableCell>
                      <KeepLink to={`/discover/sources/${source.id}`}>{source.name}</KeepLink>
                    </TableCell>
                    <TableCell>{source.ranges}</TableCell>
                    <TableCell align="right">{source.addresses.toLocaleString("en-GB")}</TableCell>
                    <TableCell sx={{ maxWidth: 260 }}>{source.ports.split(",").length} ports, SNMP on {source.snmpPort}</TableCell>
                    <TableCell align="right">{spokenDuration(source.pollSeconds * 1000)}</TableCell>
                    <TableCell>{source.last ? <KeepLink to={`/discover/sweeps/${source.last.id}`}>{source.last.state === "running" ? "under way" : dayAndTime(source.last.started_at, now.nowMs)}</KeepLink> : "never"}</TableCell>
                    <TableCell align="right">
                      <Form method="post">
                        <input type="hidden" name="sourceId" value={source.id} />
                        <Button type="submit" variant="outlined" disabled={busy || source.last?.state === "running"} aria-label={`Sweep ${source.name} now`}>
                          Sweep now
                        </Button>
                      </Form>
                    </TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          )}
        </Section>
        <Section title="Sweeps" pad={false}>
          {page.sweeps.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>No sweep until this instant.</Empty>
            </Box>
          ) : (
            <Table>
              <TableHead>
                <TableRow>
                  <TableCell>Started</TableCell>
                  <TableCell>Source</TableCell>
                  <TableCell>State</TableCell>
                  <TableCell align="right">Tried</TableCell>
                  <TableCell align="right">Answering</TableCell>
                  <TableCell align="right">Recognised</TableCell>
                  {OUTCOME_ORDER.filter((outcome) => outcome !== "back").map((outcome) => (
                    <TableCell key={outcome} align="right" title={OUTCOMES[outcome].explained}>
                      {OUTCOMES[outcome].label}
                    </TableCell>
                  ))}
                  <TableCell>By</TableCell>
                </TableRow>
              </TableHead>
              <TableBody>
                {page.sweeps.map((sweep) => (
                  <TableRow key={sweep.id}>
                    <TableCell>
                      <KeepLink to={`/discover/sweeps/${sweep.id}`}>{dayAndTime(sweep.started_at, now.nowMs)}</KeepLink>
                    </TableCell>
                    <TableCell>{sweep.source}</TableCell>
                    <TableCell>{sweep.state === "running" ? <LinearProgress variant="determinate" value={(sweep.tried / sweep.addresses) * 100} aria-label="Progress" sx={{ width: 80 }} /> : sweep.state}</TableCell>
                    <TableCell align="right">{sweep.tried}</TableCell>
                    <TableCell align="right">{sweep.answering}</TableCell>
                    <TableCell align="right">{sweep.recognised}</TableCell>
                    {OUTCOME_ORDER.filter((outcome) => outcome !== "back").map((outcome) => (
                      <TableCell key={outcome} align="right">
                        {sweep.found[outcome] ? <KeepLink to={`/discover/sweeps/${sweep.id}?outcome=${outcome}`}>{sweep.found[outcome]}</KeepLink> : "–"}
                      </TableCell>
                    ))}
                    <TableCell>{sweep.started_by}</TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          )}
        </Section>
      </Stack>
    </>
  );
}
