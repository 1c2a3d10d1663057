import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { z } from "zod";
import { spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/setup.about";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { Fact, PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Setup · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const [store, engine] = await Promise.all([context.ask("store", {}), context.tell("itself")]);
  return { store, engine, pace: context.pace(), certificate: context.certificate(), machineMs: Date.now() };
}

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), z.object({ site: z.string().max(80).default("") }));
  if (!form.ok) return form.refusal;
  const done = await act(context, "installation.site", form.value);
  return done.ok ? { ok: true as const } : done.refusal;
}

const whole = (value: number) => Math.round(value).toLocaleString("en-GB");

export default function About({
  loaderData: { store, engine, pace, certificate, machineMs },
  actionData: answered,
}: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  return (
    <>
      <PageHead
        name="Setup › This installation"
        sentence={
          engine.problem ??
          `${whole(engine.hosts)} hosts are polled and ${whole(store.samples)} samples of ${whole(store.series)} series are kept in ${formatValue(store.fileBytes, "By")}.`
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Section title="Polls and store">
        <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 1.5, m: 0 }}>
          <Fact name="Hosts polled">{whole(engine.hosts)}</Fact>
          <Fact name="Polls since start">{whole(engine.pollsDone)}</Fact>
          <Fact name="Polls missed">{whole(engine.pollsMissed)}</Fact>
          <Fact name="Late samples">{whole(engine.samplesLate)}</Fact>
          <Fact name="Duplicate samples">{whole(engine.samplesRepeated)}</Fact>
          <Fact name="Samples not yet packed">{whole(engine.samplesPending)}</Fact>
          <Fact name="Series">{whole(store.series)}</Fact>
          <Fact name="Samples kept">{whole(store.samples)}</Fact>
          <Fact name="Bytes per sample">{store.samples ? (store.bytes / store.samples).toFixed(2) : "–"}</Fact>
          <Fact name="Store">{formatValue(store.fileBytes, "By")}</Fact>
          <Fact name="TLS certificate">
            {certificate === null
              ? "none: this machine only, or by a proxy"
              : `${certificate.names}; ${certificate.endsAt < machineMs ? "it has ended" : `ends in ${spokenDuration(certificate.endsAt - machineMs)}`}${certificate.problem === null ? "" : `. ${certificate.problem}`}`}
          </Fact>
          <Fact name="Clock speed">{pace === 1 ? "real time" : `${Math.round(pace * 10) / 10} times real time`}</Fact>
        </Box>
      </Section>
      <div style={{ height: 12 }} />
      <Place sites={store.sites} said={store.saidSite} site={store.site} />
    </>
  );
}

/** Where the installation stands: a line that is cut puts out of reach what lies beyond it as seen from there. */
function Place({ sites, said, site }: { sites: readonly string[]; said: string; site: string }) {
  return (
    <Section title="Site">
      <Form method="post">
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <TextField
            key={said}
            name="site"
            label="This installation stands at"
            select
            defaultValue={said}
            sx={{ width: 280 }}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          >
            <MenuItem value="">{site && said === "" ? `${site}, by its address` : "not said"}</MenuItem>
            {sites.map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
          <RightButton right="configure" type="submit" variant="outlined">
            Save
          </RightButton>
          <span className="hx-caption">
            Used to tell which line between sites is cut: what lies beyond it cannot be reached from here.
          </span>
        </Stack>
      </Form>
    </Section>
  );
}
