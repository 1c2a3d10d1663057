import { kindInfo } from "#core/catalogue/kinds";
import { formatMoney } from "#core/units/money";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/spend-idle";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Paid for and idle · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("spendIdle", { atMs: context.now() });

type Page = Answer<"spendIdle">;

const REASONS: Readonly<Record<Page["rows"][number]["reason"], string>> = {
  unused: "Unused",
  unattached: "Not attached",
  gone: "Gone",
  unseen: "Not found",
};

function sentenceOf({ rows, looked, currency, days, costDays }: Page): string {
  if (looked === 0) return "Nothing that is charged for is in the estate, so nothing can be told of its use.";
  const sum = rows.reduce((all, one) => all + one.cost, 0);
  return rows.length
    ? `${rows.length} of ${looked.toLocaleString("en-GB")} paid for ${rows.length === 1 ? "is" : "are"} idle: ${formatMoney(sum, currency)} in ${costDays} days.`
    : `All ${looked.toLocaleString("en-GB")} that are paid for were used in the last ${days} days.`;
}

export default function SpendIdle({ loaderData: page }: Route.ComponentProps) {
  return (
    <>
      <PageHead name="Estate › Spend › Paid for and idle" sentence={sentenceOf(page)} />
      <Section title="Idle, with proof" pad={false}>
        {page.rows.length === 0 ? (
          <div style={{ padding: 12 }}>
            <Empty>Nothing is idle by its own signals. What is not measured is not judged.</Empty>
          </div>
        ) : (
          <PlainTable aria-label="Paid for and idle">
            <thead>
              <tr>
                <th scope="col">Resource</th>
                <th scope="col">Kind</th>
                <th scope="col">Account</th>
                <th scope="col" className="num">
                  {page.costDays} days
                </th>
                <th scope="col">Verdict</th>
                <th scope="col">Proof</th>
              </tr>
            </thead>
            <tbody>
              {page.rows.map((one) => (
                <tr key={`${one.account} ${one.resource}`}>
                  <td>
                    {one.componentId === null ? (
                      one.resource
                    ) : (
                      <KeepLink to={`/estate/${one.componentId}`}>{one.resource}</KeepLink>
                    )}
                  </td>
                  <td>{one.kind === null ? "–" : kindInfo(one.kind).label}</td>
                  <td>
                    {one.provider}, {one.account}
                  </td>
                  <td className="num line">{formatMoney(one.cost, page.currency)}</td>
                  <td className="line">{REASONS[one.reason]}</td>
                  <td>{one.proof}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
