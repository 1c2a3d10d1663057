import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { OF_PLATFORM } from "#core/estate/labels";
import { groupLabel, PLACES } from "#core/platforms/columns";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/platform";
import { useKeep } from "../shell/window";
import { idFrom, missing } from "../shell/answers.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { listAskedOf, listQuestion } from "../shell/platform-list";
import { windowOf } from "../shell/window.server";
import { Trend } from "../ui/charts/Trend";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Row } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.component.name ?? "Platform"} · Holotaxis` },
];

const ROWS = 50;

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const asked = listAskedOf(request);
  const id = idFrom(params.id, "platform");
  const page = await context.ask(
    "platform",
    listQuestion(asked, { id, size: ROWS, ...windowOf(request, context.now()) }),
  );
  if (!page) throw missing("platform", params.id);
  return { ...page, asked, search: new URL(request.url).search };
}

export default function Platform({ loaderData: page }: Route.ComponentProps) {
  const { component, asked, groups } = page;
  const keep = useKeep();
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>) =>
    changeParams((params) => {
      if (!("page" in changes)) params.delete("page");
      applyChanges(params, changes);
    }, true);
  const has = groups.map(
    (one) => `${one.count.toLocaleString("en-GB")} ${lower(groupLabel(one.group, component.kind, one.count))}`,
  );
  return (
    <>
      <PageHead
        name={`Estate › Platforms › ${kindInfo(component.kind).label}`}
        sentence={
          groups.length ? `${component.name} has ${listed(has)}.` : `${component.name} has nothing at this instant.`
        }
        actions={
          <>
            <Button
              component="a"
              href={`/estate/platforms/${component.id}/list.csv${page.search}`}
              download
              variant="outlined"
            >
              CSV
            </Button>
            <Button component={RouterLink} to={keep(`/estate/${component.id}`)} variant="outlined">
              Component page
            </Button>
          </>
        }
      />
      <Problem>{page.problem}</Problem>
      <Stack direction="row" sx={{ gap: 1, mb: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <nav aria-label="Lists" style={{ display: "flex", gap: 6, flexWrap: "wrap" }}>
          {groups.map((one) => (
            <button
              key={one.group}
              type="button"
              className={`hx-button ${one.group === page.group ? "hx-chosen" : ""}`}
              aria-current={one.group === page.group ? "true" : undefined}
              onClick={() => change({ list: one.group, sort: "", order: "" })}
            >
              {one.label} {one.count.toLocaleString("en-GB")}
            </button>
          ))}
        </nav>
        <Search key={page.group} value={asked.q} onChange={(q) => change({ q })} />
      </Stack>
      <List page={page} onSort={change} />
      {page.total > ROWS ? (
        <Row>
          <Button size="small" disabled={asked.page === 0} onClick={() => change({ page: String(asked.page - 1) })}>
            Before
          </Button>
          <span>
            {asked.page * ROWS + 1} to {Math.min(page.total, (asked.page + 1) * ROWS)} of{" "}
            {page.total.toLocaleString("en-GB")}
          </span>
          <Button
            size="small"
            disabled={(asked.page + 1) * ROWS >= page.total}
            onClick={() => change({ page: String(asked.page + 1) })}
          >
            Next
          </Button>
        </Row>
      ) : null}
    </>
  );
}

const lower = (label: string) => label.charAt(0).toLowerCase() + label.slice(1);
const listed = (words: readonly string[]) =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;

function Search({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  const [text, setText] = useTyped(value, onChange);
  return (
    <TextField
      size="small"
      label="Filter"
      value={text}
      onChange={(event) => setText(event.target.value)}
      sx={{ width: 220, ml: "auto" }}
    />
  );
}

type Page = Route.ComponentProps["loaderData"];

function List({ page, onSort }: { page: Page; onSort: (changes: Record<string, string>) => void }) {
  const { asked } = page;
  const isAccount = !(PLACES as readonly string[]).includes(page.component.kind);
  const place = page.component.kind === "platform.cluster" ? "Name space" : "Region";
  const head = (field: string, label: string, num = false) => {
    const isOn = asked.sort === field || (asked.sort === "" && field === "name");
    const turned = isOn ? (asked.order === "asc" ? "desc" : "asc") : num ? "desc" : "asc";
    return (
      <th
        key={field}
        scope="col"
        className={num ? "num" : ""}
        aria-sort={isOn ? (asked.order === "asc" ? "ascending" : "descending") : "none"}
      >
        <button type="button" className="hx-word" onClick={() => onSort({ sort: field, order: turned })}>
          {label}
          {isOn ? (asked.order === "asc" ? " ↑" : " ↓") : ""}
        </button>
      </th>
    );
  };
  if (page.rows.length === 0) return <Empty>Nothing fits.</Empty>;
  return (
    <div className="hx-section">
      <PlainTable aria-label="List">
        <thead>
          <tr>
            {head("name", "Name")}
            {isAccount ? head("region", place) : null}
            {page.factNames.map((fact) => head(fact, factLabel(fact)))}
            {page.metrics.map((one) => head(one.metric, one.label, true))}
            {page.metrics[0] ? <th scope="col">{page.metrics[0].label}, window</th> : null}
          </tr>
        </thead>
        <tbody>
          <Rows rows={page.rows} columns={3 + page.factNames.length + page.metrics.length}>
            {(row) => (
              <tr key={row.id}>
                <td>
                  <Row>
                    <SeverityMark severity={row.severity} size={15} />
                    <KeepLink to={`/estate/${row.id}`} clip>
                      {row.name}
                    </KeepLink>
                  </Row>
                </td>
                {isAccount ? (
                  <td>
                    {row.regionId === null ? (
                      "–"
                    ) : (
                      <KeepLink to={`/estate/platforms/${row.regionId}?list=${page.group}`}>{row.region}</KeepLink>
                    )}
                  </td>
                ) : null}
                {page.factNames.map((fact) => (
                  <td key={fact} className="line">
                    {row.facts[fact] ?? "–"}
                  </td>
                ))}
                {row.figures.map((figure, index) => (
                  <td key={page.metrics[index]?.metric} className="num line">
                    {figure ? formatValue(figure.value, figure.unit) : "–"}
                  </td>
                ))}
                {page.metrics[0] ? (
                  <td>
                    <Trend values={row.trend} height={20} />
                  </td>
                ) : null}
              </tr>
            )}
          </Rows>
        </tbody>
      </PlainTable>
    </div>
  );
}

/** "platform size" is “Size” where everything is told by the platform. */
export const factLabel = (fact: string): string => {
  const name = fact.startsWith(OF_PLATFORM) ? fact.slice(OF_PLATFORM.length) : fact;
  return name.charAt(0).toUpperCase() + name.slice(1);
};
