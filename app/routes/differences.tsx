import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { type ReactNode } from "react";
import { kindInfo } from "#core/catalogue/kinds";
import { verbOf } from "#core/topology/words";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/differences";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Differences · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, atMs } = windowOf(request, context.now());
  const search = (new URL(request.url).searchParams.get("q") ?? "").trim().slice(0, 80);
  return { ...(await context.ask("differences", { fromMs, toMs: atMs, search })), fromMs, toMs: atMs, search };
}

type Data = Route.ComponentProps["loaderData"];
const SHOWN = 200;
/** As far as differences are counted. */
const MOST_COUNTED = 5_000;
const count = (number: number, one: string, several: string) =>
  `${number > MOST_COUNTED ? `more than ${MOST_COUNTED.toLocaleString("en-GB")}` : number.toLocaleString("en-GB")} ${number === 1 ? one : several}`;

function sentenceOf({ totals }: Data): string {
  const said = totals.facts + totals.labels;
  const wires = totals.joined + totals.parted;
  return totals.came + totals.left + said + wires === 0
    ? "At the end of this window the estate is as it was at its start."
    : `Since the start of this window ${count(totals.came, "component came", "components came")}, ${totals.left.toLocaleString("en-GB")} left, ${count(said, "fact or label is", "facts and labels are")} otherwise, ${count(wires, "relation began or ended", "relations began or ended")}.`;
}

/** Rows of components that came or left. */
const components = (rows: Data["came"], when: (atMs: number) => string) =>
  rows.map((row) => [
    <KeepLink key="a" to={`/estate/${row.id}`}>
      {row.name}
    </KeepLink>,
    kindInfo(row.kind).label,
    row.site,
    when(row.at),
  ]);

/** Rows of what is told of components and was told otherwise. */
const said = (rows: Data["facts"]) =>
  rows.map((row) => [
    <KeepLink key="a" to={`/estate/${row.id}`}>
      {row.component}
    </KeepLink>,
    row.name,
    row.before ?? "–",
    row.after ?? "–",
  ]);

/** Rows of relations that began or ended. */
const relations = (rows: Data["joined"], when: (atMs: number) => string) =>
  rows.map((row) => [
    <KeepLink key="a" to={`/estate/${row.fromId}`}>
      {row.fromName}
    </KeepLink>,
    `${verbOf(row.type)}${row.detail ? ` (${row.detail})` : ""}`,
    <KeepLink key="b" to={`/estate/${row.toId}`}>
      {row.toName}
    </KeepLink>,
    when(row.at),
  ]);

export default function DifferencesPage({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const when = (atMs: number) => dayAndTime(atMs, now.nowMs);
  const query = new URLSearchParams({
    from: new Date(page.fromMs).toISOString(),
    to: new Date(page.toMs).toISOString(),
    ...(page.search ? { q: page.search } : {}),
  });
  const { totals } = page;
  const nothing = Object.values(totals).every((one) => one === 0);
  return (
    <>
      <PageHead
        name="Estate › Differences"
        sentence={sentenceOf(page)}
        actions={
          <Button component="a" href={`/estate/differences.csv?${query}`} download variant="outlined">
            CSV
          </Button>
        }
      />
      <NameFilter search={page.search} />
      {nothing ? <Empty>Widen the window on the ribbon to compare with an earlier instant.</Empty> : null}
      <Stack sx={{ gap: 1.5 }}>
        <Table
          title="Came"
          total={totals.came}
          head={["Component", "Kind", "Site", "When"]}
          rows={components(page.came, when)}
        />
        <Table
          title="Left"
          total={totals.left}
          head={["Component", "Kind", "Site", "When"]}
          rows={components(page.left, when)}
        />
        <Table title="Facts" total={totals.facts} head={["Component", "Fact", "Was", "Is"]} rows={said(page.facts)} />
        <Table
          title="Labels"
          total={totals.labels}
          head={["Component", "Label", "Was", "Is"]}
          rows={said(page.labels)}
        />
        <Table
          title="Relations that began"
          total={totals.joined}
          head={["Component", "Relation", "Other", "When"]}
          rows={relations(page.joined, when)}
        />
        <Table
          title="Relations that ended"
          total={totals.parted}
          head={["Component", "Relation", "Other", "When"]}
          rows={relations(page.parted, when)}
        />
      </Stack>
    </>
  );
}

function NameFilter({ search }: { search: string }) {
  const changeParams = useChangeParams();
  const [typed, setTyped] = useTyped(search, (q) => changeParams((params) => applyChanges(params, { q }), true));
  return (
    <TextField
      label="Name"
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      type="search"
      sx={{ width: 220, mb: 1 }}
    />
  );
}

function Table({ title, total, head, rows }: { title: string; total: number; head: string[]; rows: ReactNode[][] }) {
  if (total === 0) return null;
  return (
    <Section title={`${title}: ${total.toLocaleString("en-GB")}`} pad={false}>
      <PlainTable aria-label={title}>
        <thead>
          <tr>
            {head.map((one) => (
              <th key={one} scope="col">
                {one}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, SHOWN).map((cells, row) => (
            <tr key={row}>
              {cells.map((cell, index) => (
                <td key={index}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {total > SHOWN ? (
        <div className="hx-pad">The first {SHOWN}; all of them are in the CSV, as far as 5,000 go.</div>
      ) : null}
    </Section>
  );
}
