import Box from "@mui/material/Box";
import { spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/setup.about";
import { Fact, PageHead, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Setup · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const [store, engine] = await Promise.all([context.ask("store", {}), context.tell("itself")]);
  return { store, engine, pace: context.pace(), certificate: context.certificate(), machineMs: Date.now() };
}

const whole = (value: number) => Math.round(value).toLocaleString("en-GB");

export default function About({ loaderData: { store, engine, pace, certificate, machineMs } }: Route.ComponentProps) {
  return (
    <>
      <PageHead
        name="Setup › This installation"
        sentence={
          engine.problem ??
          `${whole(engine.hosts)} hosts are polled and ${whole(store.samples)} samples of ${whole(store.series)} series are kept in ${formatValue(store.fileBytes, "By")}.`
        }
      />
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
    </>
  );
}
