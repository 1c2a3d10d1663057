import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { RightButton } from "../RightButton";
import { spanOf, type IncidentData } from "./page";

type Cause = IncidentData["incident"]["causes"][number];

/** A cause as a link to where it is looked into. */
function CauseName({ cause, page, strong }: { cause: Cause; page: IncidentData; strong?: boolean }) {
  if (cause.componentId !== null)
    return (
      <KeepLink to={`/estate/${cause.componentId}?${spanOf(page)}`} {...(strong ? { strong } : {})}>
        {cause.name}
      </KeepLink>
    );
  if (cause.line) return <KeepLink to={`/map?by=site&${spanOf(page)}`}>{cause.name}</KeepLink>;
  return <>{cause.name}</>;
}

const percent = (share: number) => `${Math.max(1, Math.round(share * 100))} %`;

/** What is taken for the cause, why, and what else it could be; a person says what it was. */
export function Causes({ page }: { page: IncidentData }) {
  const { incident } = page;
  const roots = incident.causes.filter((one) => one.isRoot);
  const others = incident.causes.filter((one) => !one.isRoot).slice(0, 4);
  const isKnown = (roots[0]?.probability ?? 0) >= 0.3;
  return (
    <Section
      title={
        incident.confirmed
          ? "Cause, as confirmed"
          : roots.length > 1
            ? "Likeliest causes"
            : isKnown
              ? "Likeliest cause"
              : "Cause not known: the likeliest"
      }
    >
      {incident.confirmed ? (
        <Typography variant="body2" sx={{ mb: 1 }}>
          <strong>{incident.confirmed.name}</strong>
          {incident.confirmed.remark ? `: ${incident.confirmed.remark}` : ""}{" "}
          <span className="hx-quiet">· {incident.confirmed_by}</span>
        </Typography>
      ) : null}
      {roots.map((cause) => (
        <Box key={cause.name} sx={{ mb: 1 }}>
          <Typography variant="body2" sx={{ fontWeight: 600 }}>
            <CauseName cause={cause} page={page} strong />{" "}
            <span className="hx-quiet">{percent(cause.probability)}</span>
            {cause.onHost ? (
              <span className="hx-quiet" style={{ fontWeight: 400 }}>
                {" "}
                · somewhere on <KeepLink to={`/estate/${cause.onHost.id}`}>{cause.onHost.name}</KeepLink>{" "}
                {percent(cause.onHost.probability)}
              </span>
            ) : null}
          </Typography>
          <Box component="ul" sx={{ m: 0, pl: 2.25, fontSize: "0.84rem", color: "text.secondary" }}>
            {cause.reasons.map((reason) => (
              <li key={reason}>{reason}</li>
            ))}
          </Box>
        </Box>
      ))}
      {page.suspect && page.odd ? (
        <Typography variant="body2" sx={{ mb: 1 }}>
          The odd one of its {page.odd.siblings + 1}{" "}
          <KeepLink to={`/estate/${page.suspect.componentId}/siblings?${spanOf(page)}`}>siblings</KeepLink>:{" "}
          {page.odd.told.join("; ")}
          {page.odd.differs > page.odd.told.length ? `; and ${page.odd.differs - page.odd.told.length} more` : ""}.
        </Typography>
      ) : null}
      {others.length ? (
        <Typography variant="body2" component="div" className="hx-quiet">
          Could also be{" "}
          {others.map((cause, index) => (
            <span key={cause.name} title={cause.reasons.join("; ")}>
              {index ? ", " : ""}
              <CauseName cause={cause} page={page} /> {percent(cause.probability)}
            </span>
          ))}
          .
        </Typography>
      ) : null}
      {page.thenMs === null ? <SayCause page={page} /> : null}
    </Section>
  );
}

/** A person says what it was, and may resolve the incident with it. */
function SayCause({ page }: { page: IncidentData }) {
  const { incident } = page;
  const root = incident.causes.find((one) => one.isRoot);
  return (
    <Form method="post" key={incident.confirmed_at ?? 0} className="hx-ask">
      <label className="hx-caption hx-grow">
        It was
        <input
          className="hx-input"
          name="cause"
          list="hx-causes"
          required
          maxLength={200}
          defaultValue={incident.confirmed?.name ?? root?.name ?? ""}
        />
      </label>
      <datalist id="hx-causes">
        {incident.causes.map((cause) => (
          <option key={cause.name} value={cause.name}>
            {cause.name}
          </option>
        ))}
      </datalist>
      <label className="hx-caption hx-grow">
        Because
        <input className="hx-input" name="remark" maxLength={500} defaultValue={incident.confirmed?.remark ?? ""} />
      </label>
      <RightButton right="respond" type="submit" name="intent" value="cause" variant="outlined" size="small">
        {incident.confirmed ? "Correct" : "Confirm cause"}
      </RightButton>
      {page.isOpen ? (
        <RightButton right="respond" type="submit" name="intent" value="resolve" variant="outlined" size="small">
          Resolve with it
        </RightButton>
      ) : null}
    </Form>
  );
}
