import type { ruleAdvice } from "#server/pages/advice";
import { KeepLink } from "../KeepLink";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";

type Advised = NonNullable<ReturnType<typeof ruleAdvice>>;

/** What could be done about a rule, each with what it would have raised in the last fortnight. */
export function AdviceOf({ advice: { rule, raised, advice } }: { advice: Advised }) {
  return (
    <Section title={`What would make “${rule.name}” quieter`} pad={false}>
      <p className="hx-pad" role="status" style={{ margin: 0 }}>
        Over the last 14 days it would have raised {raised} {raised === 1 ? "alarm" : "alarms"} as it is.
      </p>
      {advice.length === 0 ? (
        <div className="hx-pad">
          <Empty>There is nothing to propose for a rule of this sort.</Empty>
        </div>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Change</th>
              <th scope="col">The rule then</th>
              <th scope="col" className="num">
                Alarms in 14 d
              </th>
              <th scope="col">Actions</th>
            </tr>
          </thead>
          <tbody>
            {advice.map((one) => (
              <tr key={one.what}>
                <td>{one.what}</td>
                <td style={{ maxWidth: 460 }}>{one.words}</td>
                <td className="num">{one.raised}</td>
                <td>
                  <KeepLink to={`/setup/rules/${linkTo(rule.id, one)}`}>Open the rule with it</KeepLink>
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
    </Section>
  );
}

/** A change of settings opens on the rule itself; another way of judging on a new rule. */
function linkTo(id: number, { fields, isNew }: Advised["advice"][number]): string {
  const { name: _name, type = "", enabled: _enabled, ...settings } = fields;
  return `${isNew ? "new" : id}?${new URLSearchParams({ ...settings, detector: type })}`;
}
