import Box from "@mui/material/Box";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Fact, Section } from "../Page";
import type { ComponentData } from "./page";

/** What is known of a component. */
export function Facts({ page }: { page: ComponentData }) {
  const { window: now } = useShell();
  const { component, host } = page;
  const info = kindInfo(component.kind);
  return (
    <Section id="facts" title="Facts">
      <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "repeat(2, minmax(0, 1fr))", gap: 1, m: 0 }}>
        <Fact name="Kind">{info.label}</Fact>
        <Fact name="Site">{component.site}</Fact>
        {host ? (
          <Fact name="Runs on">
            <KeepLink to={`/estate/${host.id}`}>{host.name}</KeepLink>
          </Fact>
        ) : null}
        {page.carriers
          .filter((carrier) => carrier.how === "hosted by" || carrier.how === "runs in")
          .map((carrier) => (
            <Fact key={carrier.id} name={kindInfo(carrier.kind).label}>
              <KeepLink to={`/estate/${carrier.id}`}>{carrier.name}</KeepLink>
            </Fact>
          ))}
        {page.facts.map((fact) => (
          <Fact key={fact.name} name={capital(fact.name)}>
            {fact.value}
          </Fact>
        ))}
        {page.memoryBytes === null ? null : <Fact name="Memory">{formatValue(page.memoryBytes, "By")}</Fact>}
        <Fact name="Found">{dayAndTime(component.valid_from, now.nowMs)}</Fact>
        <Fact name="Last seen">{`${dayAndTime(component.last_seen_at, now.nowMs, true)} (${spokenDuration(now.nowMs - component.last_seen_at)} ago)`}</Fact>
        <Fact name="Identified by">{component.reason}</Fact>
        {[...page.labels, ...page.hostLabels].map((label) => (
          <Fact key={`${label.name} ${label.value} ${label.valid_from}`} name={capital(label.name)}>
            {label.value}
          </Fact>
        ))}
        {page.services.length ? (
          <Fact name="Services">
            {page.services.map((service, index) => (
              <span key={service.uid}>
                {index ? ", " : ""}
                <KeepLink to={`/services/${service.uid}`}>{service.name}</KeepLink>
              </span>
            ))}
          </Fact>
        ) : null}
      </Box>
    </Section>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
