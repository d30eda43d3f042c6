import { placeOf, solidOf, type AreaRelation, type AreaShapes, type Form, type Place, type SpaceForm } from '@clean-sieve/core'; // prettier-ignore

/** How a feature lies to a place, as the editor lists it. */
export type SpaceTest = AreaRelation | 'centre' | 'share' | 'near' | 'nearest';

const TESTS: { value: SpaceTest; title: string; points: boolean }[] = [
  { value: 'intersects', title: 'meets it', points: true },
  { value: 'within', title: 'lies within it', points: true },
  { value: 'centre', title: 'has its centre in it', points: false },
  { value: 'share', title: 'has so much of itself in it', points: false },
  { value: 'near', title: 'comes within a distance of it', points: true },
  { value: 'nearest', title: 'is among the nearest to it', points: true },
  { value: 'touches', title: 'touches only its edge', points: true },
  { value: 'crosses', title: 'crosses it', points: false },
  { value: 'overlaps', title: 'overlaps it', points: false },
  { value: 'contains', title: 'contains it', points: false },
  { value: 'equals', title: 'covers just it', points: true },
];
/** What can be asked of everything within a distance, which has no corners. */
const ROUND: readonly SpaceTest[] = ['intersects', 'centre', 'share', 'near'];

export function testOfForm(form: SpaceForm): SpaceTest {
  if (form.kind === 'area') return form.relation;
  return form.kind === 'radius' ? 'near' : form.kind;
}

/** Whether a place, or one of several, is everything within a distance. */
export function isRoundPlace(place: Place, shapes: AreaShapes): boolean {
  if ('op' in place && (place.op === 'ANY_OF' || place.op === 'ALL_OF')) return place.args.some((one) => isRoundPlace(one, shapes)); // prettier-ignore
  return (solidOf(place, shapes)?.reach ?? 0) > 0;
}

/** The tests that fit a place and the features; the one in use is among them. */
export function spaceTests(
  form: SpaceForm,
  points: boolean,
  shapes: AreaShapes,
): { value: SpaceTest; title: string }[] {
  const place = placeOf(form);
  const round = isRoundPlace(place, shapes);
  const several = 'op' in place && (place.op === 'ANY_OF' || place.op === 'ALL_OF');
  return TESTS.filter(
    ({ value, points: forPoints }) =>
      value === testOfForm(form) ||
      ((forPoints || !points) &&
        (!round || ROUND.includes(value)) &&
        !(several && (value === 'share' || value === 'nearest'))),
  );
}

/** The form for another test of the same place, taking over what fits from the one before. */
export function withTest(form: SpaceForm, test: SpaceTest): Form {
  const base = { geometry: placeOf(form), outside: form.outside, blanks: false };
  switch (test) {
    case 'centre':
      return { ...base, kind: 'centre' };
    case 'share':
      return { ...base, kind: 'share', percent: 50 };
    case 'nearest':
      return { ...base, kind: 'nearest', amount: 10 };
    case 'near':
      return { ...base, kind: 'near', distance: 100, unit: 'm', plane: false };
    default:
      return { ...base, kind: 'area', relation: test };
  }
}

/** The form about another place; a test that does not fit it becomes that of meeting it. */
export function withPlace(form: SpaceForm, geometry: Place, points: boolean, shapes: AreaShapes): Form {
  const moved = (form.kind === 'radius' ? { ...withTest(form, 'near'), distance: form.distance, unit: form.unit, plane: form.plane } : form) as SpaceForm; // prettier-ignore
  const next = { ...moved, geometry } as SpaceForm;
  const fits = spaceTests(withTest(next, 'intersects') as SpaceForm, points, shapes).some(({ value }) => value === testOfForm(next)); // prettier-ignore
  return fits ? next : withTest(next, 'intersects');
}
