import { groupLabel, INSTANCES } from "#core/platforms/columns";
import { dayAndTime } from "#core/time/windows";
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

function sentenceOf({ sources, places, failures }: Page): string {
  if (sources.length === 0) return "No platform is read yet. Add a cloud or a manager as a source under Discover.";
  const silent = sources.filter((one) => one.problem !== null);
  if (silent.length) return `${silent.map((one) => one.name).join(", ")} cannot be read: ${silent[0]?.problem ?? ""}`;
  const accounts = places.filter((one) => one.isAccount).length;
  const instances = places.reduce((sum, one) => sum + (one.isAccount ? (one.counts[INSTANCES] ?? 0) : 0), 0);
  const read = `${many(accounts, "account")} in ${many(places.length - accounts, "region")}, ${many(instances, "instance")}`;
  return failures.length
    ? `${read}; ${many(failures.length, "list")} could not be read.`
    : `${read}. All of them answer.`;
}

export default function Platforms({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  return (
    <>
      <PageHead name="Estate › Platforms" sentence={sentenceOf(page)} />
      <Section title="Accounts and regions" pad={false}>
        {page.places.length === 0 ? (
          <div style={{ padding: 12 }}>
            <Empty>What a platform has is listed here once it has been read.</Empty>
          </div>
        ) : (
          <Places page={page} nowMs={now.nowMs} />
        )}
      </Section>
      <div style={{ height: 12 }} />
      {page.failures.length ? <Failures page={page} nowMs={now.nowMs} /> : null}
    </>
  );
}

function Places({ page, nowMs }: { page: Page; nowMs: number }) {
  const groups = [...new Set(page.places.flatMap((one) => Object.keys(one.counts)))].sort(
    (a, b) => Number(b === INSTANCES) - Number(a === INSTANCES) || groupLabel(a).localeCompare(groupLabel(b)),
  );
  return (
    <PlainTable aria-label="Accounts and regions">
      <thead>
        <tr>
          <th scope="col">Account, region</th>
          <th scope="col">Platform</th>
          {groups.map((group) => (
            <th key={group} scope="col" className="num">
              {groupLabel(group)}
            </th>
          ))}
          <th scope="col" className="num">
            Failures
          </th>
          <th scope="col">Last read</th>
        </tr>
      </thead>
      <tbody>
        {page.places.map((one) => {
          const source = page.sources.find(({ id }) => id === one.sourceId);
          const failed = page.failures.filter(
            (failure) => failure.source_id === one.sourceId && (one.isAccount || failure.region === one.region),
          ).length;
          return (
            <tr key={one.id}>
              <td style={{ paddingLeft: one.isAccount ? 8 : 32 }}>
                <Row>
                  <SeverityMark severity={one.severity} size={15} />
                  <KeepLink to={`/estate/platforms/${one.id}`}>{one.name}</KeepLink>
                </Row>
              </td>
              <td>{one.isAccount ? one.platform : ""}</td>
              {groups.map((group) => (
                <td key={group} className="num">
                  {one.counts[group] ? (
                    <KeepLink to={`/estate/platforms/${one.id}?list=${group}`}>{one.counts[group]}</KeepLink>
                  ) : (
                    "–"
                  )}
                </td>
              ))}
              <td className="num">{failed || "–"}</td>
              <td>
                {one.isAccount && source
                  ? source.problem
                    ? "not answering"
                    : source.readAt === null
                      ? "not yet"
                      : `${dayAndTime(source.readAt, nowMs)}, in ${((source.tookMs ?? 0) / 1000).toFixed(1)} s`
                  : ""}
              </td>
            </tr>
          );
        })}
      </tbody>
    </PlainTable>
  );
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
