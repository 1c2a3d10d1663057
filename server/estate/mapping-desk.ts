import { parseMapping } from "#core/platforms/mapping";
import { answerAt, previewMapping, type Preview, type Trial } from "../sources/platform/preview";
import { credentialById } from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import { listMappings, mappingNamed, removeMapping, saveMapping } from "../store/platforms";
import { listSources } from "../store/sources";
import type { Vault } from "../vault/vault";

const TRIAL_MS = 30_000;
const MOST_MAPPINGS = 500;

export interface TrialInput {
  text: string;
  address: string;
  authority: string;
  credentialId: number | null;
}

/** Where people write how REST interfaces are read. */
export class MappingDesk {
  constructor(
    private readonly context: {
      db: Db;
      vault: Pick<Vault, "use">;
      now: () => number;
      /** Called when a mapping was changed: sources that use it read anew. */
      onMappings: () => void;
    },
  ) {}

  /** Keeps a mapping; `before` is what it was called. */
  save(before: string | undefined, text: string, by: string): string {
    const { db, now } = this.context;
    const { name } = readOrRefuse(text);
    const renamed = before !== undefined && before.toLowerCase() !== name.toLowerCase();
    if (renamed && usersOf(db, before).length)
      throw new PersonError(`“${before}” is used by ${usersOf(db, before).join(", ")}: it keeps its name.`);
    if ((before === undefined || renamed) && mappingNamed(db, name))
      throw new PersonError(
        `There is a mapping called “${name}” already. Give this one another name, or edit that one.`,
      );
    if (listMappings(db).length >= MOST_MAPPINGS) throw new PersonError(`There are ${MOST_MAPPINGS} mappings already.`);
    db.transaction(() => {
      if (renamed) removeMapping(db, before);
      saveMapping(db, { name, text, changed_at: now(), changed_by: by });
    })();
    this.context.onMappings();
    return name;
  }

  remove(name: string): void {
    const { db } = this.context;
    const users = usersOf(db, name);
    if (users.length)
      throw new PersonError(`“${name}” is used by ${users.join(", ")}. Choose another mapping there first.`);
    if (!removeMapping(db, name)) throw new PersonError("That mapping is not there any more.");
  }

  preview(input: TrialInput): Promise<Preview> {
    return this.within((signal) => previewMapping(this.trialOf(input, "trying a mapping"), signal));
  }

  answer(input: TrialInput, path: string): Promise<string> {
    if (!path.startsWith("/"))
      throw new PersonError("A path begins with a slash.", { path: "A path begins with a slash." });
    return this.within((signal) => answerAt(this.trialOf(input, "asking for an answer"), path, signal));
  }

  private trialOf({ text, address, authority, credentialId }: TrialInput, purpose: string): Trial {
    readOrRefuse(text);
    const credential = credentialId === null ? undefined : credentialById(this.context.db, credentialId);
    if (credentialId !== null && !credential) throw new PersonError("That credential is not there any more.");
    return { text, address, authority, access: credential ? [this.context.vault.use(credential, purpose)] : [] };
  }

  private async within<T>(work: (signal: AbortSignal) => Promise<T>): Promise<T> {
    const abort = new AbortController();
    const timer = setTimeout(() => abort.abort(), TRIAL_MS);
    try {
      return await work(abort.signal);
    } catch (error) {
      if (error instanceof PersonError) throw error;
      throw new PersonError(error instanceof Error ? error.message : String(error));
    } finally {
      clearTimeout(timer);
    }
  }
}

function readOrRefuse(text: string) {
  const read = parseMapping(text);
  if (!read.ok) throw new PersonError(read.problems.join("\n"), { text: read.problems.join("\n") });
  return read.mapping;
}

const usersOf = (db: Db, name: string): string[] =>
  listSources(db).flatMap(({ name: source, settings }) =>
    String((settings as { mapping?: unknown }).mapping ?? "").toLowerCase() === name.toLowerCase() ? [source] : [],
  );
