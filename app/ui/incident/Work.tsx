import { Form } from "react-router";
import { Section } from "../Page";
import { RightButton } from "../RightButton";
import type { IncidentData } from "./page";

/** Handing over, waiting for somebody, merging and reopening. */
export function Work({ page }: { page: IncidentData }) {
  const { incident } = page;
  return (
    <Section title={incident.taken_by ? `With ${incident.taken_by}` : "With nobody yet"}>
      <Form method="post" key={`hand ${incident.taken_at}`} className="hx-ask">
        <label className="hx-caption">
          Hand over to
          <select className="hx-select" name="to" defaultValue="" required>
            <option value="" disabled>
              choose
            </option>
            {page.people
              .filter((one) => one !== incident.taken_by)
              .map((one) => (
                <option key={one}>{one}</option>
              ))}
          </select>
        </label>
        <label className="hx-caption hx-grow">
          What they should know
          <input className="hx-input" name="remark" maxLength={2000} />
        </label>
        <RightButton right="respond" type="submit" name="intent" value="hand-over" variant="outlined" size="small">
          Hand over
        </RightButton>
      </Form>
      {page.isOpen ? (
        <Form method="post" key={`wait ${incident.waiting_for}`} className="hx-ask">
          <label className="hx-caption hx-grow">
            Waiting for
            <input className="hx-input" name="waitingFor" maxLength={120} defaultValue={incident.waiting_for} />
          </label>
          <RightButton right="respond" type="submit" name="intent" value="wait" variant="outlined" size="small">
            {incident.waiting_for ? "Change" : "Wait"}
          </RightButton>
        </Form>
      ) : incident.merged_into === null ? (
        <Form method="post" className="hx-ask">
          <label className="hx-caption hx-grow">
            Reason
            <input className="hx-input" name="reason" maxLength={200} required />
          </label>
          <RightButton right="respond" type="submit" name="intent" value="reopen" variant="outlined" size="small">
            Reopen
          </RightButton>
        </Form>
      ) : null}
      {page.others.length && incident.merged_into === null ? (
        <Form method="post" key={`merge ${page.others.length}`} className="hx-ask">
          <label className="hx-caption hx-grow">
            Belongs to
            <select className="hx-select" name="into" defaultValue="" required style={{ width: "100%" }}>
              <option value="" disabled>
                another open incident
              </option>
              {page.others.map((one) => (
                <option key={one.id} value={one.id}>{`${one.id} · ${one.title}`}</option>
              ))}
            </select>
          </label>
          <RightButton right="respond" type="submit" name="intent" value="merge" variant="outlined" size="small">
            Merge
          </RightButton>
        </Form>
      ) : null}
    </Section>
  );
}
