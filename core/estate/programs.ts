import type { SoftwareRow } from "./sighting";

/** What a process runs. */
export interface Program {
  /** As people say it: the script, module or archive that an interpreter runs, else the executable. */
  name: string;
  /** "node", "java": what runs it, where that is not itself. */
  interpreter?: string;
  /** The script, module or archive as the command line has it. */
  runs?: string;
}

/** How an interpreter's command line says what it runs. */
interface Interpreter {
  /** Options that take the next argument with them. */
  takesNext: ReadonlySet<string>;
  /** Options whose next argument is what runs. */
  runsNext: ReadonlySet<string>;
  /** Options after which the program is the text of the command itself, which names nothing. */
  inline: ReadonlySet<string>;
}

const interpreter = (takesNext: string, runsNext = "", inline = ""): Interpreter => ({
  takesNext: new Set(takesNext.split(" ")),
  runsNext: new Set(runsNext.split(" ")),
  inline: new Set(inline.split(" ")),
});

const SHELL = interpreter("-o +o --rcfile --init-file", "", "-c");
const INTERPRETERS: Readonly<Record<string, Interpreter>> = {
  node: interpreter(
    "-r --require --import --loader --experimental-loader --env-file -C --conditions",
    "",
    "-e -p --eval --print",
  ),
  deno: interpreter("--config -c --import-map"),
  bun: interpreter("--config -r --preload", "", "-e"),
  python: interpreter("-W -X", "-m", "-c"),
  pypy: interpreter("-W -X", "-m", "-c"),
  ruby: interpreter("-I -r -C", "", "-e"),
  perl: interpreter("-I", "", "-e -E"),
  php: interpreter("-c -d", "-f", "-r"),
  java: interpreter(
    "-cp -classpath --class-path -p --module-path --add-modules --add-opens --add-exports",
    "-jar -m --module",
  ),
  dotnet: interpreter("--depsfile --runtimeconfig --additionalprobingpath"),
  lua: interpreter("-l", "", "-e"),
  tclsh: interpreter(""),
  Rscript: interpreter("", "", "-e"),
  sh: SHELL,
  bash: SHELL,
  dash: SHELL,
  ksh: SHELL,
  zsh: SHELL,
};
/** Words that stand between an interpreter and what it runs: "deno run main.ts". */
const VERBS: Readonly<Record<string, ReadonlySet<string>>> = {
  deno: new Set(["run", "serve", "task"]),
  bun: new Set(["run"]),
  dotnet: new Set(["exec", "run"]),
};

/** Programs that serve an application named by their first argument. */
const LAUNCHERS = new Set([
  "gunicorn",
  "uvicorn",
  "hypercorn",
  "daphne",
  "celery",
  "flask",
  "rq",
  "puma",
  "unicorn",
  "sidekiq",
  "rackup",
  "pm2",
  "ts-node",
  "tsx",
]);

/** Names that say nothing of what an application is; the folder they are in does. */
const PLAIN_NAME = /^(index|main|server|app|application|start|run|cli|bootstrap|manage|wsgi|asgi|__main__|launcher)$/i;
const PLAIN_FOLDER =
  /^(|\.|\.\.|bin|sbin|lib|libexec|dist|build|out|src|app|apps|server|target|release|current|releases|node_modules|site-packages|scripts?|public|www|opt|srv|home|usr|local|var|tmp|\d+([._-]\d+)*)$/i;

const SUFFIX = /\.(js|cjs|mjs|ts|mts|jsx|tsx|py|pyc|rb|pl|php|sh|bash|jar|war|dll|exe|lua|tcl|R)$/;
/** "-1.4.2", "-2.0.0-SNAPSHOT" at the end of an archive's name. */
const VERSION_AT_END = /[-_]v?\d+(\.\d+)+([-.][A-Za-z0-9]+)*$/;

const baseName = (path: string) => path.replace(/\/+$/, "").split("/").at(-1) ?? "";
const known = (record: Readonly<Record<string, unknown>>, name: string) => Object.hasOwn(record, name);

/** "python3.11" is python, "php8.2" php, "java" java; undefined for what is no interpreter. */
export function interpreterOf(executable: string): string | undefined {
  const name = baseName(executable).replace(/\.exe$/i, "");
  if (known(INTERPRETERS, name)) return name;
  const plain = name.replace(/-?\d+(\.\d+)*$/, "");
  return plain && known(INTERPRETERS, plain) ? plain : undefined;
}

/** "/opt/orders/dist/server.js" is orders, "jobs/nightly.py" nightly, "/srv/billing-1.4.2.jar" billing. */
function nameOfFile(path: string): string {
  const parts = path.split("/");
  const file = (parts.pop() ?? "").replace(SUFFIX, "").replace(VERSION_AT_END, "");
  if (!PLAIN_NAME.test(file)) return file || path;
  const folder = parts.reverse().find((part) => !PLAIN_FOLDER.test(part));
  return folder?.replace(VERSION_AT_END, "") || baseName(path);
}

/** "com.example.billing.Main" is billing, "org.example.Ledger" Ledger. */
function nameOfClass(text: string): string {
  const parts = text.split("/").at(-1)?.split(".") ?? [];
  const last = parts.at(-1) ?? text;
  return /^(Main|App|Application|Launcher|Bootstrap|Start|Server)$/.test(last) ? (parts.at(-2) ?? last) : last;
}

/** A command line as the running-software table and process lists have it: parted at blanks, quotes kept together. */
export const argumentsOf = (parameters: string): string[] =>
  [...parameters.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map((one) => one[1] ?? one[2] ?? one[3] ?? "");

/**
 * What a process runs, by its executable and its command line: an interpreter is asked for its script, module, class or
 * archive, a launcher for the application it serves.
 */
export function programOf(row: Pick<SoftwareRow, "name" | "path" | "parameters">): Program {
  const executable = baseName(row.path.split(/\s/)[0] ?? "");
  const kind = interpreterOf(executable) ?? interpreterOf(row.name);
  const own = titled(row.name);
  if (!kind) {
    // A script that is run by its first line has its own name, and the interpreter's path.
    return LAUNCHERS.has(own) ? launched(own, argumentsOf(row.parameters)) : { name: own };
  }
  const { takesNext, runsNext, inline } = INTERPRETERS[kind] as Interpreter;
  const words = argumentsOf(row.parameters);
  for (let at = 0; at < words.length; at++) {
    const word = words[at] as string;
    if (inline.has(word)) break;
    if (runsNext.has(word)) {
      const runs = words[at + 1];
      if (runs === undefined) break;
      if (kind === "java" && word !== "-jar") return { name: nameOfClass(runs), interpreter: kind, runs };
      if (word === "-m" && kind !== "java")
        return LAUNCHERS.has(runs)
          ? { ...launched(runs, words.slice(at + 2)), interpreter: kind }
          : { name: runs, interpreter: kind, runs };
      return { name: nameOfFile(runs), interpreter: kind, runs };
    }
    if (takesNext.has(word)) at++;
    else if (!word.startsWith("-") && !word.startsWith("+") && !VERBS[kind]?.has(word)) {
      if (kind === "java") return { name: nameOfClass(word), interpreter: kind, runs: word };
      const name = baseName(word).replace(SUFFIX, "");
      return LAUNCHERS.has(name)
        ? { ...launched(name, words.slice(at + 1)), interpreter: kind }
        : { name: nameOfFile(word), interpreter: kind, runs: word };
    }
  }
  return { name: own === executable ? kind : own, ...(own === kind ? {} : { interpreter: kind }) };
}

/** Programs that write a title over their name: "nginx: worker process", "postgres: checkpointer". */
const titled = (name: string) => /^([\w.+-]+):( |$)/.exec(name)?.[1] ?? name;

function launched(launcher: string, words: readonly string[]): Program {
  const app = words.find((word, at) => !word.startsWith("-") && !(words[at - 1] ?? "").startsWith("-"));
  const served = app ?? words.find((word) => !word.startsWith("-"));
  return served === undefined
    ? { name: launcher }
    : { name: `${launcher} ${/[:/]/.test(served) ? nameOfApp(served) : served}`, runs: served };
}

const nameOfApp = (text: string) => (text.includes("/") ? nameOfFile(text) : text);
