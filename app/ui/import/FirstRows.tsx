import Box from "@mui/material/Box";
import { PlainTable } from "../PlainTable";
import type { ChosenFile } from "./csv-file";

/** The first rows of a file as they stand in it. */
export function FirstRows({ chosen: { head, rows } }: { chosen: ChosenFile }) {
  return (
    <Box sx={{ overflow: "auto", maxHeight: 340 }} tabIndex={0} role="region" aria-label="First rows">
      <PlainTable pinned>
        <thead>
          <tr>
            {head.map((name, column) => (
              <th key={column} scope="col">
                {name || `column ${column + 1}`}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, index) => (
            <tr key={index}>
              {head.map((_, column) => (
                <td key={column} className="line">
                  {row[column] ?? ""}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Box>
  );
}
