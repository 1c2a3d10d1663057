import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink, redirect } from "react-router";
import { z } from "zod";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/discover";
import { useAnswer } from "../shell/answer";
import { act, readForm, formOf } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { SourceTable } from "../ui/discover/SourceTable";
import { SweepTable } from "../ui/discover/SweepTable";
import { Empty, PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Discover · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("discover", { atMs: windowOf(request, context.now()).atMs });
}

const schema = z.object({ sourceId: z.coerce.number().int().min(1) });

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const started = await act(context, "sweep.start", { sourceId: form.value.sourceId, wait: false });
  return started.ok ? redirect(`/discover/sweeps/${started.value}`) : started.refusal;
}

type Data = Route.ComponentProps["loaderData"];

const sumOf = <Row,>(rows: readonly Row[], of: (row: Row) => number) => rows.reduce((sum, row) => sum + of(row), 0);

function sentenceOf({ sources, sweeps }: Data, nowMs: number): string {
  if (sources.length === 0)
    return "No sources yet. A source says where to look and how, such as an address range with its SNMP community; add the first one.";
  const running = sweeps.filter((sweep) => sweep.state === "running");
  if (running.length)
    return `Sweeping ${running.map((sweep) => sweep.source).join(", ")}: ${sumOf(running, (sweep) => sweep.tried)} of ${sumOf(running, (sweep) => sweep.addresses)} addresses tried.`;
  const covered = `${sources.length} ${sources.length === 1 ? "source covers" : "sources cover"} ${sumOf(sources, (source) => source.addresses ?? 0).toLocaleString("en-GB")} addresses.`;
  const last = sweeps[0];
  if (!last) return `${covered} None has been swept yet.`;
  const { found } = last;
  return `${covered} The last sweep, of ${last.source} ${dayAndTime(last.started_at, nowMs)}, found ${(found.new ?? 0) + (found.back ?? 0)} new, ${found.changed ?? 0} changed and ${found.gone ?? 0} gone.`;
}

export default function Discover({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { window: now } = useShell();
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Discover"
        sentence={sentenceOf(page, now.nowMs)}
        actions={
          <>
            <Button component={RouterLink} to={keep("/discover/review")} variant="outlined">
              {page.toReview ? `Review (${page.toReview.toLocaleString("en-GB")})` : "Review"}
            </Button>
            <Button component={RouterLink} to={keep("/discover/mappings")} variant="outlined">
              Mappings
            </Button>
            <Button component={RouterLink} to={keep("/discover/coverage")} variant="outlined">
              Coverage
            </Button>
            <Button component={RouterLink} to={keep("/discover/sources/new")} variant="contained">
              Add a source
            </Button>
          </>
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
            <SourceTable sources={page.sources} />
          )}
        </Section>
        <Section title="Sweeps" pad={false}>
          {page.sweeps.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>No sweep until this instant.</Empty>
            </Box>
          ) : (
            <SweepTable sweeps={page.sweeps} />
          )}
        </Section>
      </Stack>
    </>
  );
}
