import type { FeaturesInfo } from './features';

const PREFERRED = /^(class|cover|land_?cover|category|type|kind|label|use)/i;

/** The column that looks like the class, where one does. */
export function suggestClass(columns: FeaturesInfo['columns']): { value: string; reason: string } | undefined {
  const c = columns.find((x) => PREFERRED.test(x.name)) ?? columns.find((x) => x.type === 'text');
  return c && { value: c.name, reason: 'looks like the class' };
}
