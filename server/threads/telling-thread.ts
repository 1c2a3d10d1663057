import { parentPort, workerData } from "node:worker_threads";
import { readKits } from "../kits/kits";
import { openStore } from "../store/database";
import { handOver, type Job } from "../telling/hand-over";

const port = parentPort;
if (!port) throw new Error("Messages are composed on a worker thread.");
const { file, root } = workerData as { file: string; root: string };
readKits(root);
const db = openStore(file, "reader");

/** Composes messages from the store and hands them over, so that neither judging nor pages wait for a mail server. */
port.on("message", async ({ id, job }: { id: number; job: Job }) => {
  port.postMessage({ id, end: await handOver(db, root, job) });
});
