/** Sounds that a notification can make, each as its tones: frequency in Hz, and when it begins, in seconds. */
const TONES: Readonly<Record<string, readonly (readonly [hz: number, at: number])[]>> = {
  none: [],
  bell: [[1320, 0]],
  "two tones": [
    [660, 0],
    [880, 0.18],
  ],
  "low tone": [[330, 0]],
};

export const SOUNDS = Object.keys(TONES);
const LASTS_S = 0.5;

/** Plays a sound; a browser in which nobody has pressed anything yet stays silent. */
export function playSound(name: string): void {
  const tones = TONES[name] ?? [];
  if (!tones.length || typeof AudioContext === "undefined") return;
  const audio = new AudioContext();
  for (const [hz, at] of tones) {
    const tone = audio.createOscillator();
    const volume = audio.createGain();
    const begins = audio.currentTime + at;
    tone.frequency.value = hz;
    volume.gain.setValueAtTime(0.2, begins);
    volume.gain.exponentialRampToValueAtTime(0.001, begins + LASTS_S);
    tone.connect(volume).connect(audio.destination);
    tone.start(begins);
    tone.stop(begins + LASTS_S);
  }
  setTimeout(() => void audio.close(), 2000);
}
