import { FingerprintBook } from "#core/estate/fingerprints";
import type { FocusLine } from "#core/spend/focus";
import { SampleWriter } from "#server/ingest/sample-writer";
import { PlatformPoller } from "#server/polling/platforms";
import type { Db } from "#server/store/database";
import type { Access } from "#server/vault/kinds";

/** A poller of platforms over a store of tests, with nothing else round it. */
export function makePlatformPoller(
  db: Db,
  now: () => number,
  more: {
    sampleWriter?: SampleWriter;
    access?: () => Access[];
    /** The text of the mapping that every source has. */
    mapping?: string;
    onCosts?: (lines: readonly FocusLine[]) => void;
    onEstate?: (retired: readonly number[]) => void;
  } = {},
): PlatformPoller {
  const poller = new PlatformPoller({
    db,
    vault: { ofSource: more.access ?? (() => []) },
    sampleWriter: more.sampleWriter ?? new SampleWriter(db),
    now,
    tools: () => ({
      book: new FingerprintBook({}),
      hostKeys: { known: () => undefined, met: () => undefined },
      mapping: () => more.mapping,
      now,
    }),
    machineMs: (ms) => ms,
    reportProblem: () => undefined,
    onCosts: (_source, lines) => more.onCosts?.(lines),
    onSeen: () => undefined,
    onEstate: (retired) => more.onEstate?.(retired),
  });
  poller.reload();
  return poller;
}
