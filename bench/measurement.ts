/** One line of bench/results.json, before ratio and instant are added. */
export interface Measurement {
  name: string;
  value: number;
  unit: string;
  better: "lower" | "higher";
  target: number;
  reference: { name: string; value: number };
}
