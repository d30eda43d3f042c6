import { attributeFilters } from './attribute_filter.ts';
import { compare } from './compare.ts';

const comparisons = [...(await attributeFilters())];
const millis = (value: number) => `${value.toFixed(1)} ms`.padStart(10);
let missed = 0;
for (const comparison of comparisons) {
  const { name, ours, reference, ratio, target } = await compare(comparison);
  if (ratio > target) missed++;
  console.log(
    `${name.padEnd(54)} ours ${millis(ours)}  ${comparison.reference.name} ${millis(reference)}  ratio ${ratio.toFixed(2)}  target ${target} ${ratio <= target ? '' : '  MISSED'}`,
  );
}
process.exitCode = missed > 0 ? 1 : 0;
