/**
 * What a person types on a Linux host to put the agent there.
 * @param receiver where signals are taken, a URL
 */
export const installCommand = (receiver: string, code: string): string =>
  `curl -fsS ${receiver}/agent.sh | sudo sh -s -- ${receiver} ${code}`;
