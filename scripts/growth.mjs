// Measures the store with 1, 10 and 100 times the data and draws docs/growth.svg.
import { fork } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { bundle } from "./bundle.mjs";
import { install, root } from "./prepare.mjs";

const program = join(root, "build", "run", "growth.js");
if (process.argv[2] === "one") {
  const { measureGrowth } = await import(pathToFileURL(program).href);
  process.send(measureGrowth(root, Number(process.argv[3])));
  process.disconnect();
} else {
  install();
  await bundle("bench/growth.ts", "growth.js");
  const sizes = [];
  for (const factor of [1, 10, 100]) {
    const one = await new Promise((done, fail) => {
      const child = fork(import.meta.filename, ["one", String(factor)]);
      child.once("message", done);
      child.once("exit", (code) => code && fail(new Error(`size ${factor} ended with ${code}`)));
    });
    sizes.push(one);
    process.stdout.write(`${JSON.stringify(one)}\n`);
  }
  writeFileSync(join(root, "docs", "growth.svg"), draw(sizes));
  process.stdout.write("drawn to docs/growth.svg\n");
}

/** Eight small panels; in each, three bars with their figures. */
function draw(sizes) {
  const panels = [
    ["Keeping a sample", "microsecondsASample", "µs"],
    ["Keeping a log record", "microsecondsALog", "µs"],
    ["Bytes a sample", "bytesASample", "B"],
    ["Chart of a series over all of it", "chartMs", "ms"],
    ["First page of a word search", "searchMs", "ms"],
    ["Page of all log records", "countMs", "ms"],
    ["Page of all operations", "operationsMs", "ms"],
    ["Memory of the process", "memoryMb", "MB"],
  ];
  const count = (value) => (value >= 1e6 ? `${(value / 1e6).toPrecision(2)} M` : `${Math.round(value / 1000)} k`);
  const parts = panels.map(([title, field, unit], index) => {
    const x = 20 + (index % 3) * 300;
    const y = 50 + Math.floor(index / 3) * 190;
    const most = Math.max(...sizes.map((size) => size[field]));
    const bars = sizes.map((size, place) => {
      const height = Math.max(2, (size[field] / most) * 90);
      const left = x + 20 + place * 85;
      return `<rect x="${left}" y="${y + 130 - height}" width="46" height="${height}" fill="#2c4a52"/><text x="${left + 23}" y="${y + 124 - height}" text-anchor="middle">${Number(size[field].toPrecision(3))} ${unit}</text><text x="${left + 23}" y="${y + 148}" text-anchor="middle" fill="#5a5f5c">${size.factor} ×</text>`;
    });
    return `<text x="${x}" y="${y}" font-weight="600" font-size="14">${title}</text><path d="M${x} ${y + 130.5} H${x + 270}" stroke="#d3ccbd"/>${bars.join("")}`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 920 630" font-family="system-ui, sans-serif" font-size="12" fill="#1d2326"><title>The store with 1, 10 and 100 times the data</title><rect width="920" height="630" fill="#fffdf9"/><text x="20" y="24" font-size="16" font-weight="600">The store with 1, 10 and 100 times the data</text>${parts.join("")}<text x="20" y="618" font-size="10.5" fill="#5a5f5c">${sizes.map((size) => `${size.factor} ×: ${count(size.samples)} samples, ${count(size.logs)} log records, ${count(size.spans)} spans`).join("   ·   ")}</text></svg>\n`;
}
