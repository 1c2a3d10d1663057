import type { Route } from "./+types/setup.messages";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Message templates · Holotaxis" }];

export const loader = ({ context }: Route.LoaderArgs) => context.ask("templates", {});

export default function Messages({ loaderData: templates }: Route.ComponentProps) {
  const own = templates.filter((one) => one.changedBy !== null).length;
  return (
    <>
      <PageHead
        name="Setup › Message templates"
        sentence={`${templates.length} messages, one for each occasion; ${own === 0 ? "all as they came" : `${own} of them in your own words`}.`}
      />
      <Section title="Message templates" pad={false}>
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Occasion</th>
              <th scope="col">Sent when</th>
              <th scope="col">Subject</th>
              <th scope="col">Written by</th>
            </tr>
          </thead>
          <tbody>
            {templates.map((one) => (
              <tr key={one.id}>
                <td>
                  <KeepLink to={`/setup/messages/${one.id}`}>{one.label}</KeepLink>
                </td>
                <td>{one.words}</td>
                <td className="hx-wrap hx-mono">{one.subject}</td>
                <td>{one.changedBy ?? "as it came"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
    </>
  );
}
