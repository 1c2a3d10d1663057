import { spawn } from "node:child_process";
import { join } from "node:path";
import { root } from "../scripts/prepare.mjs";
import { headers } from "./pages.mjs";

const sleep = (ms) => new Promise((done) => setTimeout(done, ms));

/** A server of its own with a store that is there already, and its first administrator signed in. */
export async function startServer(data, { port, syslog }) {
  const child = spawn(
    process.execPath,
    [
      join(root, "build", "run", "server", "main.js"),
      `--root=${root}`,
      `--data=${data}`,
      `--port=${port}`,
      "--otlp-port=0",
      "--grpc-port=0",
      "--trap-port=0",
      `--syslog-port=${syslog}`,
    ],
    { cwd: root, stdio: ["ignore", "pipe", "inherit"], env: { ...process.env, NODE_ENV: "production" } },
  );
  let said = "";
  child.stdout.on("data", (part) => (said += part));
  while (!said.includes("ready after") || !/code=\S+/.test(said)) {
    if (child.exitCode !== null) throw new Error(`The server did not start: ${said}`);
    await sleep(50);
  }
  const base = `http://127.0.0.1:${port}`;
  const joined = await fetch(`${base}/join?code=${/code=(\S+)/.exec(said)[1]}`, {
    method: "POST",
    redirect: "manual",
    body: new URLSearchParams({ name: "Bench", signIn: "bench", password: "grey heron over the slipway" }),
  });
  headers.cookie = joined.headers.get("set-cookie")?.split(";")[0];
  return {
    base,
    end: () =>
      new Promise((done) => {
        child.once("exit", done);
        child.kill("SIGTERM");
      }),
  };
}
