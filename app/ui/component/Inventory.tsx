import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { formatValue } from "#core/units/format";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";
import type { ComponentData } from "./page";

/** The tables a host showed of itself. */
export function Inventory({ page }: { page: ComponentData }) {
  return (
    <>
      {page.interfaces.length ? (
        <Rows
          id="hardware"
          title="Interfaces"
          head={["Name", "Hardware address", "Speed", "In", "Out", "State"]}
          right={[2, 3, 4]}
        >
          {page.interfaces.map((row) => [
            row.name,
            <code key="a">{row.physAddress}</code>,
            formatValue(row.speedBps, "bit/s"),
            formatValue(row.inBps, "bit/s"),
            formatValue(row.outBps, "bit/s"),
            row.up ? "up" : "down",
          ])}
        </Rows>
      ) : null}
      {page.storage.length ? (
        <Rows title="Storage" head={["Where", "Type", "Size", "Used"]} right={[2, 3]}>
          {page.storage.map((row) => [
            row.label,
            row.type === "ram" ? "memory" : row.type,
            formatValue(row.sizeUnits * row.unitBytes, "By"),
            formatValue(row.usedPercent, "%"),
          ])}
        </Rows>
      ) : null}
      {page.entities.length ? (
        <Rows title="Made of" head={["Part", "What it is", "Model", "Serial number"]} right={[]}>
          {page.entities.map((row) => [
            row.sort,
            row.description,
            row.model || "–",
            <code key="s">{row.serial || "–"}</code>,
          ])}
        </Rows>
      ) : null}
      {page.met.length ? (
        <Rows
          title={`Met on its wires: ${page.met.length}`}
          head={["Address", "Hardware address", "Behind"]}
          right={[]}
        >
          {page.met.map((row) => [row.address, <code key="a">{row.physAddress}</code>, row.port || "–"])}
        </Rows>
      ) : null}
      {page.listeners.length ? (
        <Rows title="Listening ports" head={["Port", "Address", "Process", "Number"]} right={[0, 3]}>
          {page.listeners.map((row) => [row.port, row.address || "any", row.process, row.pid])}
        </Rows>
      ) : null}
      {page.software.length ? (
        <Rows id="software" title="Running software" head={["Process", "Number", "Path and parameters"]} right={[1]}>
          {page.software.map((row) => [row.name, row.pid, `${row.path} ${row.parameters}`.trim() || "–"])}
        </Rows>
      ) : null}
    </>
  );
}

function Rows({
  id,
  title,
  head,
  right,
  children,
}: {
  id?: string;
  title: string;
  head: string[];
  right: number[];
  children: ReactNode[][];
}) {
  return (
    <Section {...(id ? { id } : {})} title={title} pad={false}>
      <Box sx={{ maxHeight: 260, overflow: "auto" }} tabIndex={0} role="region" aria-label={title}>
        <PlainTable pinned>
          <thead>
            <tr>
              {head.map((one, index) => (
                <th scope="col" key={one} className={right.includes(index) ? "num" : ""}>
                  {one}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {children.map((cells, row) => (
              <tr key={row}>
                {cells.map((cell, index) => (
                  <td key={index} className={right.includes(index) ? "num" : ""}>
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Box>
    </Section>
  );
}
