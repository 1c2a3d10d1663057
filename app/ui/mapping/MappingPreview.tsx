import Stack from "@mui/material/Stack";
import { kindInfo } from "#core/catalogue/kinds";
import type { CommandOutput } from "#server/commands/registry";
import { Empty, Problem, Section } from "../Page";
import { PlainTable } from "../PlainTable";

type Preview = CommandOutput<"mapping.preview">;

/** What a mapping makes of live answers, list by list. */
export function MappingPreview({ preview }: { preview: Preview }) {
  return (
    <div role="status">
      <Section title={`Preview: account ${preview.account}`}>
        {preview.regions.length ? `Regions: ${preview.regions.join(", ")}.` : "No regions are mapped."}
      </Section>
      <Stack sx={{ gap: 1.5, mt: 1.5 }}>
        {preview.lists.map((list) => (
          <Section
            key={list.name}
            title={`${list.name}${list.region ? ` in ${list.region}` : ""}: ${list.items} on the first page`}
            pad={false}
          >
            {list.problem ? (
              <div style={{ padding: 12 }}>
                <Problem>{list.problem}</Problem>
              </div>
            ) : list.rows.length ? (
              <Rows list={list} />
            ) : (
              <div style={{ padding: 12 }}>
                <Empty>The list is empty there: either there is nothing, or “items” leads nowhere.</Empty>
              </div>
            )}
          </Section>
        ))}
      </Stack>
    </div>
  );
}

function Rows({ list }: { list: Preview["lists"][number] }) {
  return (
    <PlainTable aria-label={`Preview of ${list.name}`}>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">Kind</th>
          <th scope="col">Key, state</th>
          <th scope="col">Also known by</th>
          <th scope="col">Facts and labels</th>
          <th scope="col">Relations and figures</th>
        </tr>
      </thead>
      <tbody>
        {list.rows.map((row, index) => (
          // A row that fails has no key.
          // oxlint-disable-next-line react/no-array-index-key
          <tr key={index}>
            <td className="top">{row.name}</td>
            {row.problem ? (
              <td colSpan={5} className="top">
                Left out: {row.problem}
              </td>
            ) : (
              <>
                <td className="top">{kindInfo(row.kind).label}</td>
                <td className="top">{[row.key, row.state].filter(Boolean).join(", ")}</td>
                <td className="top">{row.keys.join(", ") || "–"}</td>
                <td className="top">{[...row.facts, ...row.labels].join("; ") || "–"}</td>
                <td className="top">{[...row.relations, ...row.figures].join("; ") || "–"}</td>
              </>
            )}
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
