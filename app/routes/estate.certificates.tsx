import type { Route } from "./+types/estate.certificates";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Certificates · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  return { certificates: await context.ask("certificates", { atMs }) };
}

/** Renewing takes some days. */
const SOON_DAYS = 30;

function sentenceOf(certificates: Route.ComponentProps["loaderData"]["certificates"]): string {
  if (certificates.length === 0) return "No listener presents a certificate, as far as is known at this instant.";
  const ended = certificates.filter((one) => one.daysLeft < 0).length;
  const soon = certificates.filter((one) => one.daysLeft >= 0 && one.daysLeft <= SOON_DAYS).length;
  return `${certificates.length} ${certificates.length === 1 ? "listener presents a certificate" : "listeners present certificates"}: ${ended} ${ended === 1 ? "has" : "have"} expired, ${soon} ${soon === 1 ? "expires" : "expire"} within ${SOON_DAYS} days.`;
}

export default function Certificates({ loaderData: { certificates } }: Route.ComponentProps) {
  return (
    <>
      <PageHead name="Estate › Certificates" sentence={sentenceOf(certificates)} />
      <Section title="Certificates" pad={false}>
        {certificates.length === 0 ? (
          <div style={{ padding: 12 }}>
            <Empty>Sweeps speak TLS to what listens; what it presents is listed here.</Empty>
          </div>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col" className="num">
                  Days left
                </th>
                <th scope="col">Expires</th>
                <th scope="col">Component</th>
                <th scope="col">For</th>
                <th scope="col">Issued by</th>
                <th scope="col">Protocol</th>
              </tr>
            </thead>
            <tbody>
              {certificates.map((one) => (
                <tr key={one.id}>
                  <td className="num">
                    <strong>{one.daysLeft < 0 ? `expired ${-one.daysLeft} d ago` : one.daysLeft}</strong>
                  </td>
                  <td>{one.expires}</td>
                  <td>
                    <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                  </td>
                  <td>{one.names}</td>
                  <td>{one.issuer}</td>
                  <td>{one.protocol}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
