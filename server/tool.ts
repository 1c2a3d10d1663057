import { join, resolve } from "node:path";
import { parseArgs } from "node:util";
import { openStore, PersonError } from "./store/database";
import { entryOfHash, verifyAudit } from "./store/audit";
import { MASTER_KEY_VARIABLE, readMasterKey } from "./vault/master-key";
import { rotateMasterKey } from "./vault/vault";

const USAGE = `node build/run/server/tool.js <what> [--data DIR]

  verify-audit        go through the audit record; --head HASH looks for the end that was noted before
  rotate-master-key   wrap the keys of the vault with a new master key, while Holotaxis runs or not

  --data DIR          where the store and the keys are kept, ./data if left out
`;

function refuse(message: string): never {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

function options() {
  try {
    return parseArgs({
      allowPositionals: true,
      options: {
        data: { type: "string", default: "data" },
        head: { type: "string" },
        help: { type: "boolean", default: false },
      },
    });
  } catch (error) {
    return refuse(`${error instanceof Error ? error.message : String(error)}\n\n${USAGE}`);
  }
}

function verify(store: string, head: string | undefined): void {
  const db = openStore(store, "reader");
  const found = verifyAudit(db);
  const at = head === undefined ? undefined : entryOfHash(db, head);
  db.close();
  if (found.broken)
    refuse(`The audit record is broken: ${found.broken.why}. ${found.entries} entries before it are as written.`);
  process.stdout.write(`${found.entries} entries, all as written. Head ${found.head}\n`);
  if (head === undefined) return;
  if (at === undefined)
    refuse(`The head that was noted is not in the record: its end was cut off, or all of it was written anew.`);
  process.stdout.write(`The head that was noted is entry ${at}: everything up to it is as it was then.\n`);
}

function rotate(store: string, file: string): void {
  const db = openStore(store, "writer");
  const next = rotateMasterKey(db, readMasterKey(file), file, Date.now());
  db.close();
  process.stdout.write(
    next === undefined
      ? `The master key in ${file} is a new one. Keep it with your backups; the old one opens nothing any more.\n`
      : `Start Holotaxis from now on with ${MASTER_KEY_VARIABLE}=${next}\nUntil then the old key is good too.\n`,
  );
}

process.umask(0o077);
const { values, positionals } = options();
const store = join(resolve(values.data), "holotaxis.db");
try {
  if (values.help) process.stdout.write(USAGE);
  else if (positionals[0] === "verify-audit") verify(store, values.head);
  else if (positionals[0] === "rotate-master-key") rotate(store, join(resolve(values.data), "secret.key"));
  else refuse(USAGE);
} catch (error) {
  refuse(
    error instanceof PersonError
      ? error.message
      : `This did not work: ${error instanceof Error ? error.message : String(error)}`,
  );
}
