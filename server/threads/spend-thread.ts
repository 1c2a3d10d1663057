import { parentPort, workerData } from "node:worker_threads";
import { partsOf, type SpendPart } from "../spend/read-parts";
import { FileProblem, readSpendFile } from "../spend/read-file";

/** Parts that may lie unread by who takes them in. */
const AHEAD = 8;

const port = parentPort;
let allowed = AHEAD;
let wake: (() => void) | undefined;
port?.on("message", () => {
  allowed++;
  wake?.();
});

async function run(): Promise<void> {
  const tell = (part: SpendPart) => port?.postMessage(part);
  try {
    const read = await readSpendFile((workerData as { path: string }).path);
    for (const part of partsOf(read)) {
      while (allowed <= 0) await new Promise<void>((resolve) => (wake = resolve));
      allowed--;
      tell(part);
    }
  } catch (error) {
    if (error instanceof FileProblem) tell({ what: "problem", message: error.message });
    else throw error;
  }
  port?.close();
}

void run();
