/** Why a platform could not be read, as a sentence for people. */
export class PlatformFailure extends Error {
  override name = "PlatformFailure";
  constructor(
    message: string,
    /** The answer's status, where there was one. */
    readonly status = 0,
  ) {
    super(message);
  }
}

/** Nothing answers there at all. */
export class SilentFailure extends PlatformFailure {
  override name = "SilentFailure";
}
