import { Form } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { alarmsPage } from "#server/pages/alarms";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";

/** What somebody shelved, until when, and a way to hear it again. */
export function ShelfList({ shelves, nowMs }: { shelves: ReturnType<typeof alarmsPage>["shelves"]; nowMs: number }) {
  return (
    <Section title={`Shelved: ${shelves.length}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">What</th>
            <th scope="col">Why</th>
            <th scope="col">By</th>
            <th scope="col">Until</th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {shelves.map((one) => (
            <tr key={one.id}>
              <td>{one.name}</td>
              <td>{one.reason}</td>
              <td>{one.by}</td>
              <td>{dayAndTime(one.untilMs, nowMs)}</td>
              <td>
                <Form method="post">
                  <input type="hidden" name="intent" value="unshelve" />
                  <input type="hidden" name="id" value={one.id} />
                  <RightButton right="respond" type="submit" size="small" aria-label={`Hear it again: ${one.name}`}>
                    Hear it again
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
