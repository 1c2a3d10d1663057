import { describe, expect, it } from "vitest";
import { argumentsOf, programOf } from "./programs";

const run = (name: string, path: string, parameters = "") => programOf({ name, path, parameters });

describe("what a process runs", () => {
  it.each([
    ["node", "/usr/bin/node", "/opt/orders/dist/server.js --port 8081", "orders"],
    ["node", "node", "--require ./tracing.js /srv/stock/worker.mjs", "worker"],
    ["MainThread", "/usr/bin/node", "/opt/quotes/index.js", "quotes"],
    ["node", "/usr/bin/node", "--max-old-space-size=512 server.js", "server.js"],
    ["python3", "/usr/bin/python3.11", "/opt/tides/nightly.py --all", "nightly"],
    ["python3", "/usr/bin/python3", "-X dev -m http.server 8000", "http.server"],
    [
      "gunicorn",
      "/usr/bin/python3",
      "/usr/bin/gunicorn -w 4 tariff.wsgi:application",
      "gunicorn tariff.wsgi:application",
    ],
    ["uvicorn", "/usr/local/bin/uvicorn", "berths.api:app --port 9000", "uvicorn berths.api:app"],
    ["java", "/usr/lib/jvm/bin/java", "-Xmx2g -jar /opt/billing/billing-1.4.2.jar --spring", "billing"],
    ["java", "/usr/bin/java", "-cp /opt/a.jar:/opt/b.jar com.example.ledger.Main", "ledger"],
    ["java", "/usr/bin/java", "-classpath x org.example.Ledger now", "Ledger"],
    ["ruby", "/usr/bin/ruby3.1", "-I lib /srv/gate/app.rb", "gate"],
    ["dotnet", "/usr/share/dotnet/dotnet", "exec /app/Weighbridge.dll", "Weighbridge"],
    ["bash", "/bin/bash", "/opt/jobs/rotate.sh nightly", "rotate"],
    ["rotate.sh", "/bin/bash", "/opt/jobs/rotate.sh", "rotate"],
    ["nginx", "/usr/sbin/nginx", "nginx: worker process", "nginx"],
    ["postgres", "/usr/lib/postgresql/15/bin/postgres", "-D /var/lib/postgresql", "postgres"],
    ["slotkeeper", "/opt/slotkeeper", "", "slotkeeper"],
  ])("%s at %s with “%s” is %s", (name, path, parameters, expected) =>
    expect(run(name, path, parameters).name).toBe(expected),
  );
  it("keeps the interpreter and what it runs as facts", () =>
    expect(run("node", "/usr/bin/node", "/opt/orders/server.js")).toEqual({
      name: "orders",
      interpreter: "node",
      runs: "/opt/orders/server.js",
    }));
  it("has no better name for a command typed in than the interpreter's", () => {
    expect(run("python3", "/usr/bin/python3", "-c import os")).toEqual({ name: "python", interpreter: "python" });
    expect(run("sh", "/bin/sh", "-c while true; do sleep 1; done").name).toBe("sh");
    expect(run("java", "/usr/bin/java", "-jar").name).toBe("java");
  });
  it("takes no property of every object for an interpreter", () =>
    expect(run("constructor", "/opt/constructor", "toString").name).toBe("constructor"));
  it("keeps quoted arguments together", () =>
    expect(argumentsOf(`-a "two words" 'and more' end`)).toEqual(["-a", "two words", "and more", "end"]));
});
