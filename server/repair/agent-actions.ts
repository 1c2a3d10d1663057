import { randomUUID } from "node:crypto";
import type { AgentAsks, AgentToDo } from "#core/estate/agent-actions";
import type { Db } from "../store/database";
import { StoredEstate } from "../store/known";

/** How an action ended at the agent; with a failure where it has no exit code. */
export type ActionEnd = AgentAsks["done"][number];

interface Asked {
  id: string;
  action: string;
  /** It was handed to the agent. */
  isGiven: boolean;
  resolve: (end: ActionEnd | undefined) => void;
}

/** An agent that did not ask for so long is not taken to be there, machine time. */
const GONE_MS = 60_000;
const MOST_HOSTS = 20_000;

/** What agents may do by leave of their hosts' owners, and what they are asked to do. */
export class AgentActions {
  private readonly offers = new Map<number, { actions: readonly string[]; atMs: number }>();
  private readonly asked = new Map<number, Asked[]>();

  constructor(private readonly db: Db) {}

  /** An agent asks whether anything is to be done, and says what it did. */
  take({ hostName, actions, done }: AgentAsks): AgentToDo {
    const id = new StoredEstate(this.db).ofKey(`name:${hostName.toLowerCase()}`);
    if (id === undefined) return { do: [] };
    if (this.offers.size >= MOST_HOSTS) this.offers.clear();
    this.offers.set(id, { actions, atMs: Date.now() });
    const asked = this.asked.get(id) ?? [];
    for (const end of done) asked.find((one) => one.id === end.id)?.resolve(end);
    const fresh = asked.filter((one) => !one.isGiven);
    for (const one of fresh) one.isGiven = true;
    return { do: fresh.map(({ id: each, action }) => ({ id: each, action })) };
  }

  /** What a host's agent offers now; undefined where none has asked lately. */
  offered(hostId: number): readonly string[] | undefined {
    const offer = this.offers.get(hostId);
    return offer && Date.now() - offer.atMs <= GONE_MS ? offer.actions : undefined;
  }

  /**
   * Has the agent of a host do something that it offers.
   * @returns how it ended; undefined where the signal was aborted first
   */
  ask(hostId: number, action: string, signal: AbortSignal): Promise<ActionEnd | undefined> {
    return new Promise((done) => {
      const list = this.asked.get(hostId) ?? [];
      const leave = (end: ActionEnd | undefined) => {
        signal.removeEventListener("abort", cut);
        const rest = (this.asked.get(hostId) ?? []).filter((each) => each !== one);
        if (rest.length) this.asked.set(hostId, rest);
        else this.asked.delete(hostId);
        done(end);
      };
      const one: Asked = { id: randomUUID(), action, isGiven: false, resolve: leave };
      const cut = () => leave(undefined);
      if (signal.aborted) return done(undefined);
      signal.addEventListener("abort", cut);
      this.asked.set(hostId, [...list, one]);
    });
  }
}
