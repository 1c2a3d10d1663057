import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/estate.software";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";

export const meta: Route.MetaFunction = () => [{ title: "Software · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const product = new URL(request.url).searchParams.get("product")?.slice(0, 60) ?? null;
  return { ...(await context.ask("software", { atMs, product })), product };
}

export default function Software({ loaderData: { versions, places, product } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const products = new Set(versions.map((one) => one.product)).size;
  return (
    <>
      <PageHead
        name="Estate › Software"
        sentence={
          versions.length
            ? `${products} products run in ${versions.length} versions.`
            : "No product is recognised yet at this instant."
        }
      />
      {product ? <Places product={product} places={places} nowMs={now.nowMs} /> : null}
      <div style={{ height: product ? 12 : 0 }} />
      <Section title="Products and versions" pad={false}>
        {versions.length === 0 ? (
          <div style={{ padding: 12 }}>
            <Empty>Sweep a source; what it recognises is listed here.</Empty>
          </div>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Product</th>
                <th scope="col">Version</th>
                <th scope="col" className="num">
                  Components
                </th>
                <th scope="col" className="num">
                  Hosts
                </th>
                <th scope="col">First seen in this version</th>
              </tr>
            </thead>
            <tbody>
              {versions.map((one) => (
                <tr key={`${one.product} ${one.version}`}>
                  <td>
                    <KeepLink to={`/estate/software?product=${encodeURIComponent(one.product)}`}>
                      {one.product}
                    </KeepLink>
                  </td>
                  <td>{one.version || "not known"}</td>
                  <td className="num">{one.count}</td>
                  <td className="num">{one.hosts}</td>
                  <td>{dayAndTime(one.sinceMs, now.nowMs)}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}

function Places({
  product,
  places,
  nowMs,
}: {
  product: string;
  places: Route.ComponentProps["loaderData"]["places"];
  nowMs: number;
}) {
  return (
    <Section title={`${product}: ${places.length} ${places.length === 1 ? "place" : "places"}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Version</th>
            <th scope="col">Component</th>
            <th scope="col">Site</th>
            <th scope="col">Since</th>
          </tr>
        </thead>
        <tbody>
          {places.map((one) => (
            <tr key={one.id}>
              <td>{one.version || "not known"}</td>
              <td>
                <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
              </td>
              <td>{one.site}</td>
              <td>{dayAndTime(one.sinceMs, nowMs)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
