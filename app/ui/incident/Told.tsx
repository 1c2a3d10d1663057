import { Empty, Section } from "../Page";
import { KeepLink } from "../KeepLink";
import { MessageTable } from "../telling/MessageTable";
import type { IncidentData } from "./page";

/** Who was told of the incident, when, and what came of it. */
export function Told({ page }: { page: IncidentData }) {
  return (
    <Section
      id="told"
      title={`Notifications: ${page.messages.length}`}
      pad={page.messages.length === 0}
      aside={<KeepLink to="/setup/notifications">Who is told of what</KeepLink>}
    >
      {page.messages.length ? (
        <MessageTable messages={page.messages} ofOne />
      ) : (
        <Empty>Nobody was notified{page.isOpen ? " yet" : ""}.</Empty>
      )}
    </Section>
  );
}
