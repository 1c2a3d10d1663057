import Stack from "@mui/material/Stack";
import type { Route } from "./+types/siblings";
import { idFrom, missing } from "../shell/answers.server";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Siblings of ${loaderData?.component.name ?? "a component"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { atMs, fromMs } = windowOf(request, context.now());
  const page = await context.ask("siblings", { id: idFrom(params.id, "component"), atMs, fromMs });
  if (!page) throw missing("component", params.id);
  return page;
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ component, siblings, rows, odd }: Data): string {
  const others = siblings.length - 1;
  if (others === 0) return `${component.name} has no siblings: nothing else in the estate is like it.`;
  const beside = `${component.name} beside ${others} ${others === 1 ? "sibling" : "siblings"}`;
  if (rows.length === 0) return `${beside}: all alike.`;
  const one = siblings.find((sibling) => sibling.id === odd);
  return `${beside}: ${rows.length} ${rows.length === 1 ? "difference" : "differences"}${one ? `; the odd one is ${one.name}, which differs in ${one.differs}` : ", and no one is clearly the odd one"}.`;
}

export default function Siblings({ loaderData: page }: Route.ComponentProps) {
  const { component, siblings, rows, alike, odd, why } = page;
  return (
    <>
      <PageHead name={`Estate › ${component.kind} › Siblings`} sentence={sentenceOf(page)} />
      <p className="hx-quiet">Compared are {why}.</p>
      {siblings.length < 2 ? null : (
        <Stack sx={{ gap: 1.5 }}>
          <Section title={`Differences: ${rows.length}`} pad={false}>
            {rows.length === 0 ? (
              <div className="hx-pad">
                <Empty>{alike} things are the same in all of them.</Empty>
              </div>
            ) : (
              <div role="region" aria-label="Differences" style={{ overflowX: "auto" }}>
                <PlainTable>
                  <thead>
                    <tr>
                      <th scope="col">What</th>
                      {siblings.map((one) => (
                        <th key={one.id} scope="col">
                          <span className="hx-row" style={{ gap: 4 }}>
                            <SeverityMark severity={one.severity} size={14} />
                            <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                            {one.id === odd ? " (odd one)" : ""}
                          </span>
                        </th>
                      ))}
                    </tr>
                  </thead>
                  <tbody>
                    <Rows rows={rows} columns={siblings.length + 1}>
                      {(row) => (
                        <tr key={`${row.group} ${row.item}`}>
                          <th scope="row" style={{ fontWeight: 400, textAlign: "left" }}>
                            <span className="hx-quiet">{row.group}</span> {row.item}
                          </th>
                          {row.values.map((value, place) => (
                            <td key={siblings[place]?.id}>
                              {row.odd.includes(place) ? (
                                <b>{value ?? "lacks it"}</b>
                              ) : (
                                <span className="hx-quiet">{value ?? "none"}</span>
                              )}
                            </td>
                          ))}
                        </tr>
                      )}
                    </Rows>
                  </tbody>
                </PlainTable>
              </div>
            )}
          </Section>
          {siblings.some((one) => one.figures) ? <Figures siblings={siblings} /> : null}
          <p className="hx-quiet">{alike} further things are the same in all of them.</p>
        </Stack>
      )}
    </>
  );
}

function Figures({ siblings }: { siblings: Data["siblings"] }) {
  return (
    <Section title="Load, failures and response in this window" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Sibling</th>
            <th scope="col" className="num">
              Calls a minute
            </th>
            <th scope="col" className="num">
              Failed
            </th>
            <th scope="col" className="num">
              Response p95
            </th>
          </tr>
        </thead>
        <tbody>
          {siblings.map(({ id, name, figures }) => (
            <tr key={id}>
              <td>{name}</td>
              <td className="num">{figures?.perMinute ?? "none"}</td>
              <td className="num">{figures?.failed ?? ""}</td>
              <td className="num">{figures?.p95 ?? ""}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
