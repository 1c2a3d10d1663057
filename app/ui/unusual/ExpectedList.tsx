import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { unusualPage } from "#server/pages/unusual";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

/** What people expect to be unusual, until when, and a way to end it. */
export function ExpectedList({
  expected,
  nowMs,
}: {
  expected: ReturnType<typeof unusualPage>["expected"];
  nowMs: number;
}) {
  return (
    <Section title={`Expected: ${expected.length}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">On</th>
            <th scope="col">What</th>
            <th scope="col">Why</th>
            <th scope="col">By</th>
            <th scope="col">Until</th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {expected.map((one) => (
            <tr key={one.id}>
              <td>{one.name}</td>
              <td>{one.qualifier ? `${one.what} (${one.qualifier})` : one.what}</td>
              <td>{one.reason}</td>
              <td>{one.by}</td>
              <td>{dayAndTime(one.untilMs, nowMs)}</td>
              <td>
                <Form method="post">
                  <input type="hidden" name="intent" value="unexpect" />
                  <input type="hidden" name="id" value={one.id} />
                  <RightButton right="respond" type="submit" size="small" aria-label={`Tell of it again: ${one.name}`}>
                    Tell of it again
                  </RightButton>
                </Form>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
