import type { alarmsPage } from "#server/pages/alarms";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";

/** The rules that raised most, each with what could be done about it. */
export function WorstRules({ rules }: { rules: ReturnType<typeof alarmsPage>["load"]["worstRules"] }) {
  return (
    <Section title="Rules that raised most" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Rule</th>
            <th scope="col" className="num">
              Alarms
            </th>
            <th scope="col" className="num">
              Fleeting
            </th>
            <th scope="col" className="num">
              Chattering
            </th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {rules.map((rule) => (
            <tr key={rule.ruleId}>
              <td>{rule.type ? <KeepLink to={`/setup/rules/${rule.ruleId}`}>{rule.name}</KeepLink> : rule.name}</td>
              <td className="num">{rule.count}</td>
              <td className="num">{rule.fleeting}</td>
              <td className="num">{rule.chattering}</td>
              <td>
                {rule.type ? (
                  <KeepLink to={`/incidents/alarms?advice=${rule.ruleId}`}>What would make it quieter</KeepLink>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
