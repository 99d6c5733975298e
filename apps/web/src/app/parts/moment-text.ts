/** Day and minute here, in the order of ISO 8601. */
export function momentText(iso: string): string {
  const d = new Date(iso);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())} ${two(d.getHours())}:${two(d.getMinutes())}`;
}
