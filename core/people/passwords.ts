/** Shortest and longest password, in characters (NIST SP 800-63B-4, 3.1.1.2: at least 15 where it is the only factor). */
export const SHORTEST_PASSWORD = 15;
export const LONGEST_PASSWORD = 256;

/** The form in which a password is hashed and compared: typed on any keyboard it is the same (SP 800-63B-4 asks for a stable normalization). */
export const normalPassword = (given: string): string => given.normalize("NFC");

/** What is left of a password when it is looked up among common ones: small letters, without figures at either end. */
const bare = (text: string): string => text.toLowerCase().replace(/^[\d\W_]+|[\d\W_]+$/g, "");

/** The shortest text that gives this one when repeated. */
function period(text: string): string {
  for (let length = 1; length <= text.length / 2; length++) {
    const part = text.slice(0, length);
    if (part.repeat(Math.ceil(text.length / length)).slice(0, text.length) === text) return part;
  }
  return text;
}

/** Whether each character follows the one before by the same step: 123456…, aaaa…, zyxw… */
function isRun(text: string): boolean {
  const steps = new Set<number>();
  for (let index = 1; index < text.length; index++) {
    const step = text.charCodeAt(index) - text.charCodeAt(index - 1);
    // 9 is followed by 0 on every keyboard.
    steps.add(step === -9 && /[0]/.test(text[index] as string) ? 1 : step);
  }
  return steps.size === 1 && Math.abs([...steps][0] as number) <= 1;
}

/**
 * What is wrong with a new password, as a sentence, or undefined: length and a list of what is guessed first, no rules of
 * composition (NIST SP 800-63B-4, 3.1.1.2).
 * @param isCommon whether a text in small letters is on the list of common passwords
 * @param context words that anybody would try here: the person's names, the product
 */
export function passwordProblem(
  given: string,
  isCommon: (text: string) => boolean,
  context: readonly string[],
): string | undefined {
  const text = normalPassword(given);
  const characters = [...text].length;
  if (characters < SHORTEST_PASSWORD)
    return `A password has at least ${SHORTEST_PASSWORD} characters; several words in a row are easy to keep in mind.`;
  if (characters > LONGEST_PASSWORD) return `A password has at most ${LONGEST_PASSWORD} characters.`;
  const small = text.toLowerCase();
  const core = bare(text);
  const guessed = [small, core, period(small), period(core)].some((form) => form.length < 4 || isCommon(form));
  if (guessed || isRun(small) || isRun(period(small)))
    return "This password is among the first that are guessed. Choose another.";
  const left = context
    .filter((word) => word.length >= 4)
    .reduce((rest, word) => rest.replaceAll(word.toLowerCase(), ""), small);
  if (left.length < SHORTEST_PASSWORD / 2)
    return "This password is mostly a name that anybody here would try. Choose another.";
  return undefined;
}
