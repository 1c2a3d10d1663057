import Stack from "@mui/material/Stack";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/capacity";
import { idFrom, missing } from "../shell/answers.server";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Capacity of ${loaderData?.component.name ?? "a host"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const page = await context.ask("capacity", {
    id: idFrom(params.id, "component"),
    ...windowOf(request, context.now()),
  });
  if (!page) throw missing("component with machines of its own", params.id);
  return page;
}

type Page = Route.ComponentProps["loaderData"];

const amount = (value: number, unit: string) =>
  unit === "{cpu}" ? `${Number(value.toFixed(1))}` : formatValue(value, unit);
const many = (count: number, one: string) => `${count} ${count === 1 ? one : `${one}s`}`;

function sentenceOf({ component, loss, guests }: Page): string {
  if (guests.length === 0) return `${component.name} carries no machine at this instant.`;
  const { stranded } = loss;
  return stranded.length
    ? `If ${component.name} were lost, ${many(stranded.length, "machine")} of ${guests.length} would find no place at ${component.site}.`
    : `If ${component.name} were lost, all ${many(guests.length, "machine")} would find a place at ${component.site}.`;
}

export default function Capacity({ loaderData: page }: Route.ComponentProps) {
  const { component } = page;
  return (
    <>
      <PageHead name={`Estate › ${component.name} › Capacity`} sentence={sentenceOf(page)} />
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Installed, allotted, used over the window" pad={false}>
          <Resources page={page} />
        </Section>
        <Section title="Its machines, and where each could move" pad={false}>
          {page.guests.length ? (
            <Guests page={page} />
          ) : (
            <div style={{ padding: 12 }}>
              <Empty>None runs at this instant.</Empty>
            </div>
          )}
        </Section>
        {page.guests.length ? (
          <Section title={`If ${component.name} were lost`} pad={false}>
            <Loss page={page} />
          </Section>
        ) : null}
        {page.disks.length ? (
          <Section title="Disks, by the trend of 14 days" pad={false}>
            <Disks page={page} />
          </Section>
        ) : null}
      </Stack>
    </>
  );
}

function Resources({ page }: { page: Page }) {
  return (
    <PlainTable aria-label="Resources">
      <thead>
        <tr>
          <th scope="col">Resource</th>
          <th scope="col" className="num">
            Installed
          </th>
          <th scope="col" className="num">
            Usable ({Math.round(page.headroom * 100)} % kept free)
          </th>
          <th scope="col" className="num">
            Allotted
          </th>
          <th scope="col" className="num">
            Used, mean
          </th>
          <th scope="col" className="num">
            Used, highest
          </th>
        </tr>
      </thead>
      <tbody>
        {page.resources.map((one) => (
          <tr key={one.name}>
            <td>{one.name}</td>
            <td className="num">{amount(one.installed, one.unit)}</td>
            <td className="num">{amount(one.usable, one.unit)}</td>
            <td className="num">
              {amount(one.allotted, one.unit)}
              {one.installed > 0 ? ` (${Math.round((100 * one.allotted) / one.installed)} %)` : ""}
            </td>
            <td className="num">{amount(one.used.mean, one.unit)}</td>
            <td className="num">{amount(one.used.peak, one.unit)}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Guests({ page }: { page: Page }) {
  const rows = [...page.guests].sort((a, b) => b.cpu.mean - a.cpu.mean);
  return (
    <PlainTable aria-label="Machines">
      <thead>
        <tr>
          <th scope="col">Machine</th>
          <th scope="col" className="num">
            Processors, mean
          </th>
          <th scope="col" className="num">
            Highest
          </th>
          <th scope="col" className="num">
            Memory given
          </th>
          <th scope="col">Could move to</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((one) => (
          <tr key={one.id}>
            <td className="line">
              <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
            </td>
            <td className="num">{one.cpu.mean.toFixed(2)}</td>
            <td className="num">{one.cpu.peak.toFixed(2)}</td>
            <td className="num line">{formatValue(one.memory.mean, "By")}</td>
            <td>
              {one.places.length === 0
                ? "there is no other host at this site"
                : one.places.map((place, index) => (
                    <span key={place.carrier}>
                      {index ? "; " : ""}
                      <KeepLink to={`/estate/${place.carrier}/capacity`}>{place.name}</KeepLink>
                      {place.fits === "always" ? " at any time" : `: ${place.against ?? ""}`}
                    </span>
                  ))}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Loss({ page }: { page: Page }) {
  return (
    <PlainTable aria-label="What if it were lost">
      <tbody>
        {page.loss.stranded.map((one) => (
          <tr key={one.id}>
            <td className="line">
              <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
            </td>
            <td>finds no place: {one.why}</td>
          </tr>
        ))}
        {page.loss.moved.map((one) => (
          <tr key={one.id}>
            <td className="line">
              <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
            </td>
            <td>
              goes to <KeepLink to={`/estate/${one.to.id}/capacity`}>{one.to.name}</KeepLink>
              {one.fits === "always" ? "" : ", where it gets tight if all peaks come together"}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

const days = (value: number) => `${Math.round(value)} ${Math.round(value) === 1 ? "day" : "days"}`;

function Disks({ page }: { page: Page }) {
  return (
    <PlainTable aria-label="Disks">
      <thead>
        <tr>
          <th scope="col">Disk</th>
          <th scope="col" className="num">
            Used
          </th>
          <th scope="col" className="num">
            Grows a day
          </th>
          <th scope="col">Full (95 %) in</th>
        </tr>
      </thead>
      <tbody>
        {page.disks.map((one) => (
          <tr key={one.mount}>
            <td>{one.mount}</td>
            <td className="num">{formatValue(one.percent, "%")}</td>
            <td className="num">{one.perDay === null ? "–" : `${one.perDay.toFixed(2)} %`}</td>
            <td>
              {!one.isKnown
                ? "too few days to tell"
                : one.days === null
                  ? "not within a year"
                  : `${days(one.days)}${one.soonest !== null && one.latest !== null ? ` (${days(one.soonest)} to ${days(one.latest)})` : ""}`}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
