import Stack from "@mui/material/Stack";
import { Form, useSearchParams } from "react-router";
import type { Route } from "./+types/what-if";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";

export const meta: Route.MetaFunction = () => [{ title: "What if · Holotaxis" }];

/** Things that can fail together. */
const MOST = 40;

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const fail = new URL(request.url).searchParams
    .getAll("fail")
    .filter((one) => /^([cr]\d{1,9}|site:.{1,60})$/.test(one))
    .slice(0, MOST);
  return { ...(await context.ask("whatIf", { atMs, fail })), fail };
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ names, services, downCount }: Data): string {
  if (!names.length)
    return "Choose what might fail: a site here, or a component, hypervisor or relation from its page or the map.";
  const count = (state: string) => services.filter((one) => one.state === state).length;
  const [down, weak] = [count("down"), count("weakened")];
  const hurt = [
    down ? `${down} ${down === 1 ? "service is" : "services are"} down` : "no service is down",
    weak ? `${weak} ${weak === 1 ? "has" : "have"} lost some of what ${weak === 1 ? "it rests" : "they rest"} on` : "",
  ].filter(Boolean);
  return `If ${names.slice(0, 3).join(", ")}${names.length > 3 ? ` and ${names.length - 3} more` : ""} failed: ${hurt.join(", ")}; ${downCount} more ${downCount === 1 ? "component fails" : "components fail"} with it.`;
}

const STATES = { down: "down", weakened: "weakened", up: "not hurt" } as const;

export default function WhatIf({ loaderData: page }: Route.ComponentProps) {
  const [params] = useSearchParams();
  return (
    <>
      <PageHead name="Map › What if" sentence={sentenceOf(page)} />
      <Form method="get" className="hx-row" style={{ gap: 8, marginBottom: 8 }}>
        {[...params].flatMap(([name, value], place) =>
          name === "fail" && value.startsWith("site:")
            ? []
            : [<input key={place} type="hidden" name={name} value={value} />],
        )}
        <label className="hx-row" style={{ gap: 6 }}>
          A whole site
          <select
            className="hx-input"
            name="fail"
            defaultValue={page.fail.find((one) => one.startsWith("site:")) ?? ""}
          >
            <option value="">none</option>
            {page.sites.map((site) => (
              <option key={site} value={`site:${site}`}>
                {site}
              </option>
            ))}
          </select>
        </label>
        <button className="hx-button" type="submit">
          Show
        </button>
        {page.fail.length ? <KeepLink to="/map/what-if">Begin anew</KeepLink> : null}
      </Form>
      {page.names.length ? <Outcome page={page} /> : null}
    </>
  );
}

function Outcome({ page }: { page: Data }) {
  return (
    <Stack sx={{ gap: 1.5 }}>
      <ServicesThen page={page} />
      <Down page={page} />
      {page.weakened.length ? <Weakened page={page} /> : null}
    </Stack>
  );
}

function ServicesThen({ page }: { page: Data }) {
  return (
    <Section title="Services" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Service</th>
            <th scope="col">Would be</th>
            <th scope="col">Entry points left</th>
          </tr>
        </thead>
        <tbody>
          {page.services.map((one) => (
            <tr key={one.uid}>
              <td>
                <KeepLink to={`/services/${one.uid}/structure`}>{one.name}</KeepLink>
              </td>
              <td>{one.state === "down" ? <b>{STATES.down}</b> : STATES[one.state]}</td>
              <td>{one.entrances.map(({ label, left, of }) => `${label} ${left} of ${of}`).join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** What fails with it, step by step. */
function Down({ page }: { page: Data }) {
  return (
    <Section title={`Fail with it: ${page.downCount}`} pad={false}>
      {page.down.length === 0 ? (
        <div className="hx-pad">
          <Empty>Nothing: whoever needs it has something else.</Empty>
        </div>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col" className="num">
                Step
              </th>
              <th scope="col">Component</th>
              <th scope="col">Kind</th>
              <th scope="col">Because nothing is left of</th>
            </tr>
          </thead>
          <tbody>
            <Rows rows={page.down} columns={4}>
              {(one) => (
                <tr key={one.id}>
                  <td className="num">{one.step}</td>
                  <td>
                    <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                  </td>
                  <td>{one.kind}</td>
                  <td>{one.because}</td>
                </tr>
              )}
            </Rows>
          </tbody>
        </PlainTable>
      )}
    </Section>
  );
}

/** What goes on with less than it had. */
function Weakened({ page }: { page: Data }) {
  return (
    <Section title={`Go on with less: ${page.weakenedCount}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Component</th>
            <th scope="col">Kind</th>
            <th scope="col">What is left</th>
          </tr>
        </thead>
        <tbody>
          <Rows rows={page.weakened} columns={3}>
            {(one) => (
              <tr key={one.id}>
                <td>
                  <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                </td>
                <td>{one.kind}</td>
                <td>
                  {one.of - one.lost} of {one.of} of {one.label}
                </td>
              </tr>
            )}
          </Rows>
        </tbody>
      </PlainTable>
    </Section>
  );
}
