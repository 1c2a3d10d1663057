import { formatChange, formatMoney } from "#core/units/money";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { KindGlyph } from "../KindGlyph";
import { Row, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityMark } from "../SeverityMark";

type Page = NonNullable<Answer<"component">>;

/** What it is part of, hosted by and stored on, and what is stored on it: the ways up and down at the same instant. */
export function OnPlatform({ page }: { page: Page }) {
  if (page.placed.length === 0) return null;
  return (
    <Section id="platform" title="On its platform" pad={false}>
      <PlainTable aria-label="On its platform">
        <tbody>
          {page.placed.map((one) => (
            <tr key={`${one.how} ${one.other.id}`}>
              <td className="line">{one.how}</td>
              <td>
                <Row>
                  <SeverityMark severity={one.other.severity} size={15} />
                  <KindGlyph kind={one.other.kind} />
                  <KeepLink to={one.to}>{one.other.name}</KeepLink>
                </Row>
              </td>
            </tr>
          ))}
          {page.spend ? (
            <tr>
              <td className="line">Spend this month</td>
              <td>
                <KeepLink to={`/estate/spend?only=${encodeURIComponent(`component=${page.component.id}`)}&by=service`}>
                  {formatMoney(page.spend.spent, page.spend.currency)}
                </KeepLink>
                {page.spend.before > 0.005
                  ? `, ${formatChange(page.spend.spent, page.spend.before)} against the same days of last month`
                  : ""}
              </td>
            </tr>
          ) : null}
        </tbody>
      </PlainTable>
    </Section>
  );
}
