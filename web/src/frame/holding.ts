const KEY = "reed-holding";

/** The holding a person looked at last on this machine, among several. */
export const holdingOf = (): number => Number(localStorage.getItem(KEY));

/** Go to another holding: the page opens anew, since beds and stages belong to one holding. */
export function goToHolding(id: number): void {
  localStorage.setItem(KEY, String(id));
  window.location.assign("/");
}
