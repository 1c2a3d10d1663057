import { Form, useNavigation } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import type { IdentityData } from "./page";

/** Components that turned out to be this one, each with why, and the way back. */
export function Merged({ page }: { page: IdentityData }) {
  const { window: now } = useShell();
  const busy = useNavigation().state !== "idle";
  return (
    <Section title={`Joined with it: ${page.merged.length}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Was known as</th>
            <th scope="col">Why</th>
            <th scope="col">Since</th>
            <th scope="col">Actions</th>
          </tr>
        </thead>
        <tbody>
          {page.merged.map((one) => (
            <tr key={one.id}>
              <td>
                <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
              </td>
              <td>{one.reason}</td>
              <td className="line">{dayAndTime(one.at, now.nowMs)}</td>
              <td>
                <Form method="post">
                  <input type="hidden" name="what" value="split" />
                  <input type="hidden" name="name" value={one.name} />
                  {one.keys.map((key) => (
                    <input key={key} type="hidden" name="key" value={key} />
                  ))}
                  <RightButton
                    right="configure"
                    type="submit"
                    size="small"
                    disabled={busy}
                    aria-label={`Split off ${one.name} again`}
                  >
                    Split off
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
