import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { PRIORITY_WORDS } from "#core/correlation/priority";
import { clockTime, dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { RightButton } from "../RightButton";
import { spanOf, type IncidentData } from "./page";

/** Who is really hurt, who only relies on something unwell, and how urgent that makes it. */
export function Harm({ page }: { page: IncidentData }) {
  const { window: now } = useShell();
  const { harm, incident } = page;
  return (
    <Section
      title={`Priority ${harm.priority}: ${incident.priority ? incident.priority_reason : PRIORITY_WORDS[harm.follows]}`}
      pad={false}
    >
      {harm.services.length ? (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Service</th>
              <th scope="col">Harm</th>
              <th
                scope="col"
                className="num"
                title="Share of the budget of 30 days that its objective leaves, used up while this lasted"
              >
                Budget
              </th>
              <th scope="col" className="num">
                Calls failed
              </th>
            </tr>
          </thead>
          <tbody>
            {harm.services.map((one) => (
              <tr key={one.id}>
                <td>
                  <KeepLink
                    to={`/services/${page.services.find(({ id }) => id === one.id)?.uid ?? ""}?${spanOf(page)}`}
                  >
                    {one.name}
                  </KeepLink>
                </td>
                <td title={one.sinceMs === null ? "" : dayAndTime(one.sinceMs, now.nowMs, true)}>
                  {one.isHurt ? `hurt since ${clockTime(one.sinceMs ?? 0)}` : "relies on it, not hurt"}
                </td>
                <td className="num">
                  {one.burnt === null ? "–" : one.burnt < 0.0005 ? "none" : formatValue(one.burnt * 100, "%")}
                </td>
                <td className="num">
                  {one.calls === null ? "–" : `${formatValue(one.failed ?? 0, "1")} of ${formatValue(one.calls, "1")}`}
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <Typography variant="body2" sx={{ px: 1.5, py: 1 }}>
          No service is known to rely on it.
        </Typography>
      )}
      {page.thenMs === null ? (
        <PriorityForm key={`${incident.priority}${incident.priority_reason}`} page={page} />
      ) : null}
    </Section>
  );
}

function PriorityForm({ page: { incident, harm } }: { page: IncidentData }) {
  return (
    <Form method="post" className="hx-ask" style={{ padding: "0 12px 8px" }}>
      <label className="hx-caption">
        Priority
        <select className="hx-select" name="priority" defaultValue={incident.priority ?? ""}>
          <option value="">{`by harm (${harm.follows})`}</option>
          {[1, 2, 3, 4].map((one) => (
            <option key={one} value={one}>
              {one}
            </option>
          ))}
        </select>
      </label>
      <label className="hx-caption hx-grow">
        Reason
        <input className="hx-input" name="reason" maxLength={200} defaultValue={incident.priority_reason} />
      </label>
      <RightButton right="respond" type="submit" name="intent" value="priority" variant="outlined" size="small">
        Set
      </RightButton>
    </Form>
  );
}
