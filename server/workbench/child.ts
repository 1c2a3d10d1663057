import { openWorkbench, runWorkbench } from "./open";

/** A process of its own for what people write in SQL: whatever it does, it can be ended from outside. */
const file = process.argv[2] as string;
const db = openWorkbench(file);

process.on("message", ({ id, sql, mostRows }: { id: number; sql: string; mostRows: number }) => {
  try {
    process.send?.({ id, result: runWorkbench(db, sql, mostRows) });
  } catch (error) {
    process.send?.({ id, problem: error instanceof Error ? error.message : String(error) });
  }
});
process.on("disconnect", () => process.exit(0));
process.send?.({ ready: true });
