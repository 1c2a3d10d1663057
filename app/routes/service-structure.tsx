import Stack from "@mui/material/Stack";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import { verbOf } from "#core/topology/words";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/service-structure";
import { missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";
import { SeverityMark } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Structure of ${loaderData?.service.name ?? "a service"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { atMs, fromMs } = windowOf(request, context.now());
  const page = await context.ask("serviceStructure", { uid: params.uid.slice(0, 60), atMs, fromMs });
  if (!page) throw missing("service", params.uid);
  return page;
}

type Data = Route.ComponentProps["loaderData"];

const percent = (share: number) => formatValue(share * 100, "%");
const exact = (share: number) => `${(share * 100).toFixed(3).replace(/\.?0+$/, "")} %`;

export default function ServiceStructure({ loaderData: page }: Route.ComponentProps) {
  const { service, count, points, sets } = page;
  const shared = sets.filter((set) => set.sameHost);
  return (
    <>
      <PageHead
        name={`Service › ${service.name}`}
        sentence={`${service.name} rests on ${count} components; ${points.length === 0 ? "none of them alone brings it down" : `${points.length} of them alone bring${points.length === 1 ? "s" : ""} it down`}${shared.length ? `, and ${shared.length} redundant ${shared.length === 1 ? "set shares" : "sets share"} one host or hypervisor` : ""}.`}
      />
      <p>
        <KeepLink to={`/services/${service.uid}`}>The service</KeepLink> ·{" "}
        <KeepLink to={`/map?service=${service.uid}`}>Its map</KeepLink>
      </p>
      <Stack sx={{ gap: 1.5 }}>
        <Tiers page={page} />
        <Points page={page} />
        <Sets page={page} />
        <Declared page={page} />
        <Circles page={page} />
        <Availability page={page} />
      </Stack>
    </>
  );
}

function Points({ page: { points } }: { page: Data }) {
  return (
    <Section title={`Single points of failure: ${points.length}`} pad={false}>
      {points.length === 0 ? (
        <div className="hx-pad">
          <Empty>Whatever single component fails, something stands in for it.</Empty>
        </div>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Component</th>
              <th scope="col">Kind</th>
              <th scope="col" className="num">
                Takes down
              </th>
              <th scope="col">What if</th>
            </tr>
          </thead>
          <tbody>
            <Rows rows={points} columns={4}>
              {(one) => (
                <tr key={one.id}>
                  <td>
                    <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                  </td>
                  <td>{one.kind}</td>
                  <td className="num">{one.takes}</td>
                  <td>
                    <KeepLink to={`/map/what-if?fail=c${one.id}`}>Who is hurt</KeepLink>
                  </td>
                </tr>
              )}
            </Rows>
          </tbody>
        </PlainTable>
      )}
    </Section>
  );
}

function Sets({ page: { sets } }: { page: Data }) {
  return (
    <Section title={`Redundant sets: ${sets.length}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Set</th>
            <th scope="col">Members</th>
            <th scope="col" className="num">
              Needed by
            </th>
            <th scope="col">All of them on</th>
          </tr>
        </thead>
        <tbody>
          {sets.map((set) => (
            <tr key={`${set.label} ${set.members[0]?.id}`}>
              <td>{set.label}</td>
              <td>
                {set.members.map((one, place) => (
                  <span key={one.id}>
                    {place ? ", " : ""}
                    <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                  </span>
                ))}
              </td>
              <td className="num">{set.neededBy || "people"}</td>
              <td>{set.sameHost ? <b>{set.sameHost}</b> : "different ones"}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** What it is declared to rely on beside what it is seen to. */
function Declared({ page: { declared, service } }: { page: Data }) {
  const { window: now } = useShell();
  if (!declared)
    return (
      <Section title="Dependencies declared and used">
        <Empty>
          What {service.name} is meant to rely on is not declared.{" "}
          <KeepLink to={`/services/${service.uid}/edit`}>Declare it</KeepLink>, and what it uses beyond that shows here.
        </Empty>
      </Section>
    );
  const { hidden, unused, agreed } = declared;
  return (
    <Section title={`Dependencies: ${hidden.length} used but not declared, ${unused.length} declared but not used`}>
      <ul>
        {hidden.map((one) => (
          <li key={one.uid}>
            <b>Used, not declared:</b> <KeepLink to={`/services/${one.uid}`}>{one.name}</KeepLink>
            {one.evidence.map((relation, place) => (
              <span key={relation.id}>
                {place ? ", " : ": "}
                <KeepLink to={`/relations/${relation.id}`}>
                  {relation.from} {verbOf(relation.type)} {relation.to}
                </KeepLink>
              </span>
            ))}
          </li>
        ))}
        {unused.map((one) => (
          <li key={one.uid}>
            <b>Declared, not used:</b> <KeepLink to={`/services/${one.uid}`}>{one.name}</KeepLink>,{" "}
            {one.seenMs === null ? "never seen" : `last seen ${dayAndTime(one.seenMs, now.nowMs)}`}
          </li>
        ))}
        <li>
          Declared and used: {agreed.length === 0 ? "none" : null}
          {agreed.map((one, place) => (
            <span key={one.uid}>
              {place ? ", " : ""}
              <KeepLink to={`/services/${one.uid}`}>{one.name}</KeepLink>
            </span>
          ))}
        </li>
      </ul>
    </Section>
  );
}

function Circles({ page: { circles, serviceCircles } }: { page: Data }) {
  return (
    <Section title="Circles">
      {circles.length + serviceCircles.length === 0 ? (
        <Empty>Nothing here needs itself through others.</Empty>
      ) : (
        <ul>
          {serviceCircles.map((names) => (
            <li key={names.join()}>Services: {names.join(" → ")} → and back</li>
          ))}
          {circles.map((members) => (
            <li key={members[0]?.id}>{members.map((one) => one.name).join(", ")} need each other</li>
          ))}
        </ul>
      )}
    </Section>
  );
}

function Availability({ page: { availability } }: { page: Data }) {
  return (
    <Section title="Availability">
      {availability ? (
        <p>
          Over {availability.days} days: {exact(availability.measured)} measured (not critical);{" "}
          {exact(availability.expected)} to be expected from its members, redundant ones in parallel and all others in a
          row, failing independently.{" "}
          {availability.measured + 0.0005 < availability.expected
            ? `That it was ${percent(availability.expected - availability.measured)} less says that members fail together, or that it fails with all of them well.`
            : ""}
        </p>
      ) : (
        <Empty>Less than a day is known of it.</Empty>
      )}
    </Section>
  );
}

/** From the entrance to the data, so that the slow or failing tier shows itself. */
function Tiers({ page: { tiers } }: { page: Data }) {
  return (
    <Section title="Tiers, from the entrance to the data" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Tier</th>
            <th scope="col">Kind</th>
            <th scope="col">Members, the worst first</th>
            <th scope="col" className="num">
              Calls a minute
            </th>
            <th scope="col" className="num">
              Failed
            </th>
            <th scope="col" className="num">
              p50
            </th>
            <th scope="col" className="num">
              p95
            </th>
          </tr>
        </thead>
        <tbody>
          {tiers.map(({ label, kind, members, answered }) => (
            <tr key={`${kind} ${label}`}>
              <td>{label}</td>
              <td>{kindInfo(kind).label}</td>
              <td>
                {members.map((one, place) => (
                  <span key={one.id}>
                    {place ? ", " : ""}
                    {one.severity === "cleared" ? null : <SeverityMark severity={one.severity} size={14} />}{" "}
                    <KeepLink to={`/estate/${one.id}`}>{hostOf(one.name)}</KeepLink>
                    {one.answered ? ` ${formatValue(one.answered.p95Ms, "ms")}` : ""}
                  </span>
                ))}
              </td>
              <td className="num">{answered ? formatValue(answered.perMinute, "1") : "not told"}</td>
              <td className="num">{answered ? formatValue((answered.failed / answered.calls) * 100, "%") : ""}</td>
              <td className="num">{answered ? formatValue(answered.p50Ms, "ms") : ""}</td>
              <td className="num">{answered ? formatValue(answered.p95Ms, "ms") : ""}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** A member of a tier is told by where it runs; its program stands at the head of the row. */
const hostOf = (name: string): string => name.split(" @ ").at(-1) ?? name;
