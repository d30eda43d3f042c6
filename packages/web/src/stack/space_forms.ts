import { AREA_RELATIONS, placeOf, solidOf, type AreaShapes, type Form, type Place, type SpaceForm } from '@clean-sieve/core';

interface Test {
  /** The kind of condition, or the relation's name. */
  value: string;
  title: string;
  /** Fits points. */
  points: boolean;
  /** Can be asked of everything within a distance, which has no corners. */
  round: boolean;
  /** Can be asked of several places at once. */
  several: boolean;
}

const relations = (common: boolean): Test[] =>
  AREA_RELATIONS.filter((relation) => (relation.common ?? false) === common).map(({ name, test, points, round }): Test => ({
    value: name,
    title: test,
    points,
    round,
    several: true,
  }));

/** How a feature lies to a place, as the editor lists it. */
const TESTS: readonly Test[] = [
  ...relations(true),
  { value: 'centre', title: 'has its centre in it', points: false, round: true, several: true },
  { value: 'share', title: 'has so much of itself in it', points: false, round: true, several: false },
  { value: 'near', title: 'comes within a distance of it', points: true, round: true, several: true },
  { value: 'nearest', title: 'is among the nearest to it', points: true, round: false, several: false },
  ...relations(false),
];

/** The test in use. */
export function testOfForm(form: SpaceForm): string {
  if (form.kind === 'area') return form.relation;
  return form.kind === 'radius' ? 'near' : form.kind;
}

/** Whether a place, or one of several, is everything within a distance. */
export function isRoundPlace(place: Place, shapes: AreaShapes): boolean {
  if ('op' in place && (place.op === 'ANY_OF' || place.op === 'ALL_OF')) return place.args.some((one) => isRoundPlace(one, shapes));
  return (solidOf(place, shapes)?.reach ?? 0) > 0;
}

/** The tests that fit a place and the features; the one in use is among them. */
export function spaceTests(form: SpaceForm, points: boolean, shapes: AreaShapes): readonly { value: string; title: string }[] {
  const place = placeOf(form);
  const round = isRoundPlace(place, shapes);
  const several = 'op' in place && (place.op === 'ANY_OF' || place.op === 'ALL_OF');
  return TESTS.filter(
    (test) => test.value === testOfForm(form) || ((test.points || !points) && (test.round || !round) && (test.several || !several)),
  );
}

/** The form for another test of the same place, taking over what fits from the one before. */
export function withTest(form: SpaceForm, test: string): Form {
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
  const moved = (
    form.kind === 'radius' ? { ...withTest(form, 'near'), distance: form.distance, unit: form.unit, plane: form.plane } : form
  ) as SpaceForm;
  const next = { ...moved, geometry } as SpaceForm;
  const fits = spaceTests(withTest(next, 's_intersects') as SpaceForm, points, shapes).some(({ value }) => value === testOfForm(next));
  return fits ? next : withTest(next, 's_intersects');
}
