import { groupLabel, INSTANCES } from "#core/platforms/columns";
import { dayAndTime } from "#core/time/windows";
import { formatMoney } from "#core/units/money";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/platforms";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Row, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Platforms · Holotaxis" }];

export const loader = ({ request, context }: Route.LoaderArgs) =>
  context.ask("platforms", { atMs: windowOf(request, context.now()).atMs });

const many = (count: number, one: string, more = `${one}s`) => `${count} ${count === 1 ? one : more}`;

type Page = Answer<"platforms">;
type Place = Page["places"][number];

function sentenceOf({ sources, places, failures }: Page): string {
  if (sources.length === 0) return "No platform is read yet. Add a cloud or a manager as a source under Discover.";
  const silent = sources.filter((one) => one.problem !== null);
  if (silent.length) return `${silent.map((one) => one.name).join(", ")} cannot be read: ${silent[0]?.problem ?? ""}`;
  const tops = places.filter((one) => one.isTop);
  const sum = (list: readonly Place[], group: string) => list.reduce((all, one) => all + (one.counts[group] ?? 0), 0);
  const accounts = tops.filter((one) => !one.isCluster);
  const clusters = tops.filter((one) => one.isCluster);
  const parts = [
    ...(accounts.length
      ? [`${many(accounts.length, "account")} with ${many(sum(accounts, INSTANCES), "instance")}`]
      : []),
    ...(clusters.length
      ? [`${many(clusters.length, "container cluster")} with ${many(sum(clusters, "app.container"), "container")}`]
      : []),
  ];
  const read = parts.join(", ") || "Nothing is read yet";
  return failures.length
    ? `${read}; ${many(failures.length, "list")} could not be read.`
    : `${read}. All of them answer.`;
}

export default function Platforms({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const isPrivate = (one: Place) =>
    page.places.some((top) => top.isTop && top.sourceId === one.sourceId && (top.counts["host.hypervisor"] ?? 0) > 0);
  const accounts = page.places.filter((one) => !one.isCluster && !isPrivate(one));
  const own = page.places.filter((one) => !one.isCluster && isPrivate(one));
  const clusters = page.places.filter((one) => one.isCluster);
  return (
    <>
      <PageHead name="Estate › Platforms" sentence={sentenceOf(page)} />
      {page.places.length === 0 ? <Empty>What a platform has is listed here once it has been read.</Empty> : null}
      {accounts.length ? (
        <Section title="Accounts and regions" pad={false}>
          <Places page={page} places={accounts} head="Account, region" nowMs={now.nowMs} />
        </Section>
      ) : null}
      <div style={{ height: 12 }} />
      {own.length ? (
        <Section title="Private clouds: projects and regions" pad={false}>
          <Places page={page} places={own} head="Project, region" nowMs={now.nowMs} />
        </Section>
      ) : null}
      <div style={{ height: 12 }} />
      {clusters.length ? (
        <Section title="Container clusters and name spaces" pad={false}>
          <Places page={page} places={clusters} head="Cluster, name space" nowMs={now.nowMs} />
        </Section>
      ) : null}
      <div style={{ height: 12 }} />
      {page.failures.length ? <Failures page={page} nowMs={now.nowMs} /> : null}
    </>
  );
}

function Places({ page, places, head, nowMs }: { page: Page; places: readonly Place[]; head: string; nowMs: number }) {
  const owner = places[0]?.kind ?? "";
  const groups = [...new Set(places.flatMap((one) => Object.keys(one.counts)))].sort(
    (a, b) =>
      Number(b === INSTANCES) - Number(a === INSTANCES) || groupLabel(a, owner).localeCompare(groupLabel(b, owner)),
  );
  const hasSpend = places.some((one) => one.spent !== null);
  return (
    <PlainTable aria-label={head}>
      <thead>
        <tr>
          <th scope="col">{head}</th>
          <th scope="col">Source</th>
          {groups.map((group) => (
            <th key={group} scope="col" className="num">
              {groupLabel(group, owner)}
            </th>
          ))}
          <th scope="col" className="num">
            Failures
          </th>
          {hasSpend ? (
            <th scope="col" className="num">
              Spend this month
            </th>
          ) : null}
          <th scope="col">Last read</th>
        </tr>
      </thead>
      <tbody>
        {places.map((one) => (
          <PlaceRow key={one.id} page={page} place={one} groups={groups} nowMs={nowMs} hasSpend={hasSpend} />
        ))}
      </tbody>
    </PlainTable>
  );
}

function PlaceRow({
  page,
  place,
  groups,
  nowMs,
  hasSpend,
}: {
  page: Page;
  place: Place;
  groups: readonly string[];
  nowMs: number;
  hasSpend: boolean;
}) {
  const source = page.sources.find(({ id }) => id === place.sourceId);
  const failed = page.failures.filter(
    (one) => one.source_id === place.sourceId && (place.isTop || one.region === place.region),
  ).length;
  return (
    <tr>
      <td className="line" style={{ paddingLeft: place.isTop ? 8 : 32 }}>
        <Row>
          <SeverityMark severity={place.severity} size={15} />
          <KeepLink to={`/estate/platforms/${place.id}`}>{place.name}</KeepLink>
        </Row>
      </td>
      <td>{place.isTop && source ? <KeepLink to={`/discover/sources/${source.id}`}>{source.name}</KeepLink> : ""}</td>
      {groups.map((group) => (
        <td key={group} className="num">
          {place.counts[group] ? (
            <KeepLink to={`/estate/platforms/${place.id}?list=${group}`}>{place.counts[group]}</KeepLink>
          ) : (
            "–"
          )}
        </td>
      ))}
      <td className="num">{failed || "–"}</td>
      {hasSpend ? (
        <td className="num line">
          {place.spent === null || page.currency === null ? (
            ""
          ) : (
            <KeepLink to={`/estate/spend?only=${encodeURIComponent(`account=${place.name}`)}&by=service`}>
              {formatMoney(place.spent, page.currency)}
            </KeepLink>
          )}
        </td>
      ) : null}
      <td className="line">{place.isTop && source ? lastRead(source, nowMs) : ""}</td>
    </tr>
  );
}

function lastRead({ problem, readAt }: Page["sources"][number], nowMs: number): string {
  if (problem) return "not answering";
  return readAt === null ? "not yet" : dayAndTime(readAt, nowMs);
}

function Failures({ page, nowMs }: { page: Page; nowMs: number }) {
  return (
    <Section title="Not read in the last look" pad={false}>
      <PlainTable aria-label="Not read in the last look">
        <thead>
          <tr>
            <th scope="col">Source</th>
            <th scope="col">What</th>
            <th scope="col">Why</th>
            <th scope="col">Since</th>
          </tr>
        </thead>
        <tbody>
          {page.failures.map((one) => (
            <tr key={`${one.source_id} ${one.place}`}>
              <td>
                <KeepLink to={`/discover/sources/${one.source_id}`}>{one.source}</KeepLink>
              </td>
              <td className="line">{one.place}</td>
              <td>{one.reason}</td>
              <td className="line">{dayAndTime(one.since, nowMs)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
