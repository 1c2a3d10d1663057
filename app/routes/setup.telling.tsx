import Button from "@mui/material/Button";
import { Link as RouterLink } from "react-router";
import { hoursInWords } from "#core/telling/week-hours";
import { momentLabel } from "#core/telling/rule";
import type { Route } from "./+types/setup.telling";
import { useKeep } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Notifications · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("telling", { nowMs: context.now() });

type Rule = Route.ComponentProps["loaderData"]["rules"][number];

export default function Telling({ loaderData: { rules, unreachable } }: Route.ComponentProps) {
  const keep = useKeep();
  const on = rules.filter((one) => one.isOn).length;
  const sent = rules.reduce((sum, one) => sum + one.sent, 0);
  return (
    <>
      <PageHead
        name="Setup › Notifications"
        sentence={
          rules.length
            ? `${on} of ${rules.length} notification rules are on; ${sent} messages in the last 7 days.`
            : "Nobody is notified of anything yet."
        }
        actions={
          <>
            <Button component={RouterLink} to={keep("/incidents/notifications")}>
              What was sent
            </Button>
            <Button component={RouterLink} to={keep("/setup/notifications/new")} variant="contained">
              Add a rule
            </Button>
          </>
        }
      />
      <Section title="Rules" pad={false}>
        {rules.length ? (
          <Rules rules={rules} />
        ) : (
          <div className="hx-pad">
            <Empty>Add a channel first (Setup › Channels), then a rule that says who hears of what.</Empty>
          </div>
        )}
      </Section>
      {unreachable.length ? (
        <Caption>
          Without a mail address, and so told in their browser only: {unreachable.join(", ")}. Everybody gives their own
          under “My account”.
        </Caption>
      ) : null}
    </>
  );
}

function Rules({ rules }: { rules: readonly Rule[] }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Rule</th>
          <th scope="col">Incidents</th>
          <th scope="col">Told</th>
          <th scope="col">If nobody takes it</th>
          <th scope="col" className="num">
            Sent in 7 d
          </th>
          <th scope="col" className="num">
            Failed
          </th>
        </tr>
      </thead>
      <tbody>
        {rules.map((rule) => (
          <tr key={rule.id}>
            <td>
              <KeepLink to={`/setup/notifications/${rule.id}`}>{rule.name}</KeepLink>
              <Caption>{rule.isOn ? rule.moments.map(momentLabel).join(", ") : "off"}</Caption>
            </td>
            <td className="hx-wrap">{whichInWords(rule)}</td>
            <td className="hx-wrap">
              {rule.toNames.join(", ")}
              <Caption>
                {rule.how === "digest"
                  ? "in a digest"
                  : `after ${rule.delayMinutes} min, sooner at ${rule.certainPercent} % certainty`}
              </Caption>
            </td>
            <td className="hx-wrap">
              {rule.steps.length
                ? rule.steps.map((step) => `after ${step.afterMinutes} min ${step.names.join(", ")}`).join("; ")
                : "–"}
            </td>
            <td className="num">{rule.sent}</td>
            <td className="num">{rule.failed}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function whichInWords(rule: Rule): string {
  return [
    `${rule.leastSeverity} and worse, priority ${rule.leastPriority === 1 ? "1" : `1 to ${rule.leastPriority}`}`,
    ...(rule.serviceNames.length ? [`of ${rule.serviceNames.join(", ")}`] : []),
    ...(rule.sites.length ? [`at ${rule.sites.join(", ")}`] : []),
    ...(rule.hours ? [`${hoursInWords(rule.hours)} ${rule.zone}`] : []),
  ].join("; ");
}
