import Box from "@mui/material/Box";
import { kindInfo } from "#core/catalogue/kinds";
import { KeepLink } from "../KeepLink";
import { Empty } from "../Page";
import { PlainTable } from "../PlainTable";
import type { ServiceFormPage } from "./page";

/** The whole application, tier by tier, each member with why it is in; what is unticked stays out for good. */
export function ProposedMembers({ page }: { page: ServiceFormPage }) {
  if (page.members.length === 0)
    return (
      <Box sx={{ p: 1.5 }}>
        <Empty>Choose an entry point; what it talks to follows from the connections seen.</Empty>
      </Box>
    );
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Belongs</th>
          <th scope="col">Component</th>
          <th scope="col">Kind</th>
          <th scope="col" className="num">
            Tier
          </th>
          <th scope="col">Why</th>
          <th scope="col">What is uncertain</th>
          <th scope="col">Also in</th>
        </tr>
      </thead>
      <tbody>
        {page.members.map((one) => (
          <tr key={one.id}>
            <td>
              <input
                type="checkbox"
                name="member"
                value={one.id}
                defaultChecked={one.taken}
                aria-label={`${one.name} belongs to the service`}
              />
            </td>
            <td>
              <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
            </td>
            <td>{kindInfo(one.kind).label}</td>
            <td className="num">{one.tier === 99 ? "–" : one.tier + 1}</td>
            <td>{one.why}</td>
            <td>{one.doubt || "–"}</td>
            <td>{one.services.join(", ") || "–"}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
