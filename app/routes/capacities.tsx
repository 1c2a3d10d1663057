import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/capacities";
import { applyChanges, useChangeParams } from "../shell/params";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Row, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Capacity · Holotaxis" }];

const SORTS = ["name", "site", "guests", "cpuAllotted", "cpu", "memoryAllotted", "memoryUsed"] as const;

export async function loader({ request, context }: Route.LoaderArgs) {
  const { searchParams, search } = new URL(request.url);
  const sort = SORTS.find((one) => one === searchParams.get("sort")) ?? "memoryAllotted";
  const order = searchParams.get("order") === "asc" ? ("asc" as const) : ("desc" as const);
  const page = await context.ask("capacities", { sort, order, ...windowOf(request, context.now()) });
  return { ...page, sort, order, search };
}

type Page = Route.ComponentProps["loaderData"];

const listed = (words: readonly string[]) =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;

function sentenceOf({ rows, sites }: Page): string {
  if (rows.length === 0) return "No host that carries virtual machines is known.";
  const tight = sites.filter((one) => one.oneLess < 0);
  const hosts = `${rows.length} ${rows.length === 1 ? "host carries" : "hosts carry"} virtual machines`;
  return tight.length
    ? `${hosts}; without its largest host ${listed(tight.map((one) => one.site))} would lack room.`
    : `${hosts}; each site has room for all of them without its largest host.`;
}

export default function Capacities({ loaderData: page }: Route.ComponentProps) {
  return (
    <>
      <PageHead
        name="Estate › Capacity"
        sentence={sentenceOf(page)}
        actions={
          <Button component="a" href={`/estate/capacity.csv${page.search}`} download variant="outlined">
            CSV
          </Button>
        }
      />
      {page.rows.length === 0 ? (
        <Empty>Hypervisors are found by SNMP, by SSH (virsh), and by the interfaces of private clouds.</Empty>
      ) : (
        <Stack sx={{ gap: 1.5 }}>
          <Section title={`Sites, memory: ${Math.round(page.headroom * 100)} % of each host kept free`} pad={false}>
            <Sites page={page} />
          </Section>
          <Section title="Hosts, over the window" pad={false}>
            <Hosts page={page} />
          </Section>
          <Section
            title="Limits that hold for all of them"
            aside={
              <KeepLink to="/setup/rules/new?scope=kind:host.hypervisor">
                Set a further limit for all hypervisors
              </KeepLink>
            }
          >
            <Limits page={page} />
          </Section>
        </Stack>
      )}
    </>
  );
}

function Sites({ page }: { page: Page }) {
  return (
    <PlainTable aria-label="Sites">
      <thead>
        <tr>
          <th scope="col">Site</th>
          <th scope="col" className="num">
            Hosts
          </th>
          <th scope="col" className="num">
            Usable
          </th>
          <th scope="col" className="num">
            Allotted
          </th>
          <th scope="col" className="num">
            Room
          </th>
          <th scope="col">Without the largest host</th>
        </tr>
      </thead>
      <tbody>
        {page.sites.map((one) => (
          <tr key={one.site}>
            <td>{one.site}</td>
            <td className="num">{one.hosts}</td>
            <td className="num line">{formatValue(one.usable, "By")}</td>
            <td className="num line">{formatValue(one.allotted, "By")}</td>
            <td className="num line">{formatValue(one.usable - one.allotted, "By")}</td>
            <td>
              {one.oneLess < 0
                ? `${formatValue(-one.oneLess, "By")} too little: its machines would find no place`
                : `${formatValue(one.oneLess, "By")} left`}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function Limits({ page }: { page: Page }) {
  if (page.limits.length === 0) return <Empty>None is set.</Empty>;
  return (
    <ul style={{ margin: 0, paddingLeft: 18 }}>
      {page.limits.map((one) => (
        <li key={one.id}>
          <KeepLink to={`/setup/rules/${one.id}`}>{one.name}</KeepLink>
          {one.enabled ? "" : " (off)"}
        </li>
      ))}
    </ul>
  );
}

const percent = (value: number | null) => (value === null ? "–" : formatValue(value, "%"));
const both = (use: { mean: number; highest: number } | null) =>
  use === null ? "–" : `${formatValue(use.mean, "%")}, ${formatValue(use.highest, "%")}`;

function Hosts({ page }: { page: Page }) {
  const changeParams = useChangeParams();
  const head = (sort: (typeof SORTS)[number], label: string, num = true) => {
    const isOn = page.sort === sort;
    const turned = isOn ? (page.order === "asc" ? "desc" : "asc") : num ? "desc" : "asc";
    return (
      <th
        scope="col"
        className={num ? "num" : ""}
        aria-sort={isOn ? (page.order === "asc" ? "ascending" : "descending") : "none"}
      >
        <button
          type="button"
          className="hx-word"
          onClick={() => changeParams((params) => applyChanges(params, { sort, order: turned }), true)}
        >
          {label}
          {isOn ? (page.order === "asc" ? " ↑" : " ↓") : ""}
        </button>
      </th>
    );
  };
  return (
    <PlainTable aria-label="Hosts">
      <thead>
        <tr>
          {head("name", "Host", false)}
          {head("site", "Site", false)}
          {head("guests", "Running")}
          <th scope="col" className="num">
            CPUs
          </th>
          {head("cpuAllotted", "CPUs allotted")}
          {head("cpu", "CPU: mean, highest")}
          <th scope="col" className="num">
            Memory
          </th>
          {head("memoryAllotted", "Memory allotted")}
          {head("memoryUsed", "Memory: mean, highest")}
        </tr>
      </thead>
      <tbody>
        {page.rows.map((one) => (
          <tr key={one.id}>
            <td>
              <Row>
                <SeverityMark severity={one.severity} size={15} />
                <KeepLink to={`/estate/${one.id}/capacity`}>{one.name}</KeepLink>
              </Row>
            </td>
            <td className="line">{one.site}</td>
            <td className="num">{one.guests ?? "–"}</td>
            <td className="num">{one.processors || "–"}</td>
            <td className="num line">{percent(one.cpuAllotted)}</td>
            <td className="num line">{both(one.cpu)}</td>
            <td className="num line">{one.memory ? formatValue(one.memory, "By") : "–"}</td>
            <td className="num line">{percent(one.memoryAllotted)}</td>
            <td className="num line">{both(one.memoryUsed)}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
