import { shareAtLeast } from "../stats/tails";

/** How the calls of one operation go now, beside how they went before. */
export interface OperationSeen {
  name: string;
  calls: number;
  /** Calls that failed, or took longer than all but one in a hundred did before. */
  bad: number;
  usualCalls: number;
  usualBad: number;
}

/** Fewer calls tell nothing of an operation. */
const LEAST_CALLS = 10;
/** From this share on, so many times what is usual and hardly by chance, calls go badly. */
const BAD_SHARE = 0.1;
const TIMES_USUAL = 4;
const HARDLY = 0.001;
/** Below that share, they go as usual where as many bad ones come by chance once in a hundred times or more often. */
const BY_CHANCE = 0.01;
/** By what is called bad, one in a hundred is usually. */
const LEAST_USUAL = 0.01;
/** Bad calls come somewhat together, whatever the reason. */
const ALIKE = 0.02;

/**
 * Which operations of one thing go badly while its others go as usual: then it is not the thing as a whole that is in
 * trouble, but what these ask of it. Undefined where all of them go badly, none does, or too little is known.
 */
export function troubledAmong(
  operations: readonly OperationSeen[],
): { troubled: OperationSeen[]; well: OperationSeen[] } | undefined {
  const known = operations.filter((one) => one.calls >= LEAST_CALLS && one.usualCalls >= LEAST_CALLS);
  const share = (one: OperationSeen) => one.bad / one.calls;
  const usual = (one: OperationSeen) => Math.max(LEAST_USUAL, one.usualBad / one.usualCalls);
  const chance = (one: OperationSeen) => shareAtLeast(one.bad, one.calls, usual(one), ALIKE);
  const troubled = known.filter(
    (one) => share(one) >= Math.max(BAD_SHARE, TIMES_USUAL * usual(one)) && chance(one) < HARDLY,
  );
  const well = known.filter((one) => !troubled.includes(one) && chance(one) >= BY_CHANCE);
  // What is neither may be on its way to the one or the other.
  if (troubled.length === 0 || well.length === 0 || troubled.length + well.length < known.length) return undefined;
  return { troubled: troubled.sort((one, other) => share(other) - share(one)), well };
}

/** It as a reason: “only GET /papers is affected: 61 of 80 calls failed or were slow (usually 1 in 100); POST /checks is as usual”. */
export function troubledReason({ troubled, well }: NonNullable<ReturnType<typeof troubledAmong>>): string {
  const [first, ...further] = troubled;
  if (!first) return "";
  const names = further.length
    ? `${further.length + 1} operations are affected, ${first.name} most`
    : `${first.name} is affected`;
  const usual = Math.round((100 * first.usualBad) / first.usualCalls);
  const others = well.length === 1 ? `${well[0]?.name} is as usual` : `the ${well.length} others are as usual`;
  return `only ${names}: ${first.bad} of ${first.calls} calls failed or were slow (usually ${usual} in 100); ${others}`;
}
