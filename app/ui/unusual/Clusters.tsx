import type { unusualPage } from "#server/pages/unusual";
import { Section } from "../Page";
import { PlainButton } from "../PlainButton";

type Found = ReturnType<typeof unusualPage>["clusters"];

/** Where oddities gather: by service, site, host and what is measured. Services and sites narrow the list. */
export function Clusters({
  clusters,
  chosen,
  onChoose,
}: {
  clusters: Found;
  chosen: Record<"service" | "site", string>;
  onChoose: (changes: Record<string, string>) => void;
}) {
  return (
    <Section title="Where they gather">
      <div style={{ display: "grid", gridTemplateColumns: "repeat(4, minmax(0, 1fr))", gap: 16 }}>
        <Column
          title="Service"
          list={clusters.service}
          chosen={chosen.service}
          onChoose={(service) => onChoose({ service })}
        />
        <Column title="Site" list={clusters.site} chosen={chosen.site} onChoose={(site) => onChoose({ site })} />
        <Column title="Host" list={clusters.host} chosen="" onChoose={(q) => onChoose({ q })} />
        <Column title="What" list={clusters.what} chosen="" />
      </div>
    </Section>
  );
}

function Column({
  title,
  list,
  chosen,
  onChoose,
}: {
  title: string;
  list: Found["service"];
  chosen: string;
  onChoose?: (key: string) => void;
}) {
  const most = Math.max(1, ...list.map((one) => one.count));
  return (
    <div>
      <h3 style={{ margin: "0 0 4px", fontSize: "0.8rem", fontWeight: 600 }}>{title}</h3>
      {list.length === 0 ? <p className="hx-caption">none</p> : null}
      <ul style={{ listStyle: "none", margin: 0, padding: 0 }}>
        {list.map(({ key, name, count }) => (
          <li key={key} style={{ display: "flex", alignItems: "center", gap: 6, minWidth: 0 }}>
            {onChoose ? (
              <PlainButton
                className="hx-clip"
                pressed={chosen === key}
                onClick={() => onChoose(chosen === key ? "" : key)}
                title={`Only ${name}`}
              >
                {name}
              </PlainButton>
            ) : (
              <span className="hx-clip" style={{ flex: 1 }}>
                {name}
              </span>
            )}
            <span
              aria-hidden
              style={{
                width: `${Math.max(4, (count / most) * 60)}px`,
                height: 6,
                flexShrink: 0,
                marginLeft: "auto",
                background: "var(--mui-palette-primary-main)",
                opacity: 0.55,
              }}
            />
            <span className="hx-caption" style={{ width: 24, textAlign: "right" }}>
              {count}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
