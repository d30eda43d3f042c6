<script setup lang="ts">
import { mdiCircleOutline, mdiClose, mdiLasso, mdiRectangleOutline, mdiVectorPolygon, mdiVectorPolyline } from '@mdi/js';
import {
  areaRef,
  buffer,
  isGeographic,
  LENGTH_UNITS,
  matchColumnsOf,
  placeOf,
  shapeInWords,
  solidOf,
  type AreaShape,
  type Form,
  type LengthUnit,
  type MatchColumn,
  type OnePlace,
  type Place,
  type SpaceForm,
} from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { isRound } from '../../map/area_tools.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { usePlaces } from '../place_choices.ts';
import { spaceTests, testOfForm, withPlace, withTest } from '../space_forms.ts';

const props = defineProps<{ id: string; form: SpaceForm; shows: readonly MatchColumn[] }>();
const emit = defineEmits<{ change: [form: Form]; shows: [shows: MatchColumn[]] }>();
const show = useMapShow();
const workspace = useWorkspace();
const notices = useNotices();
const { placesFor, placeNamed, nameOfPlace } = usePlaces();
const naming = ref(false);
const name = ref('');
const adding = ref(false);

const place = computed(() => placeOf(props.form));
/** The places that the condition is about, one or several; of a circle or a drawn shape, none that can be chosen. */
const places = computed<OnePlace[]>(() => {
  const one = place.value;
  return 'op' in one && (one.op === 'ANY_OF' || one.op === 'ALL_OF') ? one.args : [one as OnePlace];
});
const combine = computed(() => ('op' in place.value && place.value.op === 'ALL_OF' ? 'ALL_OF' : 'ANY_OF'));
const own = computed(() => places.value.length === 1 && nameOfPlace(places.value[0]) === null);
const round = computed(() => isRound(props.form, workspace.areaShapes));
const polygon = computed(() => {
  const solid = solidOf(place.value, workspace.areaShapes);
  return solid !== null && solid.reach === 0 && /Polygon$/.test(solid.geometry.type);
});
const layer = computed(() => 'op' in place.value && (place.value.op === 'SOURCE' || place.value.op === 'SIEVE'));
const source = computed(() => workspace.activeSource!);
const points = computed(() => workspace.wording(source.value).points === true);
const projected = computed(() => !isGeographic(source.value.crs));
const several = computed(() => props.form.kind !== 'share' && props.form.kind !== 'nearest');
const offered = computed(() => matchColumnsOf(props.form));
const SHOWS: Record<MatchColumn, string> = { count: 'how many', ids: 'which ones', nearest: 'how far the nearest' };
const choices = computed(() => placesFor(workspace.activeSieve?.id ?? null));

function setPlace(next: Place): void {
  emit('change', withPlace(props.form, next, points.value, workspace.areaShapes));
}

async function choose(at: number, key: string): Promise<void> {
  const chosen = await placeNamed(key);
  const next = places.value.map((one, i) => (i === at ? chosen : one));
  setPlace(next.length === 1 ? next[0] : { op: combine.value, args: next });
}

async function addPlace(key: string): Promise<void> {
  adding.value = false;
  setPlace({ op: combine.value, args: [...places.value, await placeNamed(key)] });
}

function dropPlace(at: number): void {
  const left = places.value.filter((_, i) => i !== at);
  setPlace(left.length === 1 ? left[0] : { op: combine.value, args: left });
}

/** Makes the shape an area that other conditions can use too; this one goes on with it. */
async function keep(): Promise<void> {
  const { form } = props;
  const shape: AreaShape =
    form.kind === 'radius' ? buffer({ type: 'Point', coordinates: form.centre }, form.distance, form.unit) : (form.geometry as AreaShape);
  try {
    const added = await workspace.addArea(name.value.trim(), shape);
    naming.value = false;
    const geometry = areaRef(added.name);
    emit(
      'change',
      form.kind === 'radius'
        ? { kind: 'area', relation: 's_intersects', geometry, outside: form.outside, blanks: false }
        : { ...form, geometry },
    );
  } catch (error) {
    notices.complain(error);
  }
}

const units = Object.keys(LENGTH_UNITS).map((unit) => ({ value: unit, title: unit }));

function setCentre(index: 0 | 1, text: string | number): void {
  const value = Number(text);
  if (props.form.kind !== 'radius' || text === '' || !Number.isFinite(value) || Math.abs(value) > (index === 0 ? 180 : 90)) return;
  const centre = [...props.form.centre];
  centre[index] = value;
  emit('change', { ...props.form, centre });
}
function setDistance(text: string | number): void {
  const distance = Number(text);
  if ('distance' in props.form && text !== '' && distance >= 0) emit('change', { ...props.form, distance });
}
function setPercent(text: string | number): void {
  const percent = Number(text);
  if (props.form.kind === 'share' && percent > 0 && percent <= 100) emit('change', { ...props.form, percent });
}
function setAmount(text: string | number): void {
  const amount = Number(text);
  if (props.form.kind === 'nearest' && Number.isInteger(amount) && amount >= 1) emit('change', { ...props.form, amount });
}
function setShown(column: MatchColumn, on: boolean): void {
  emit('shows', on ? [...props.shows, column] : props.shows.filter((one) => one !== column));
}
</script>

<template>
  <div class="area">
    <v-select
      v-if="form.kind !== 'radius'"
      :model-value="testOfForm(form)"
      :items="spaceTests(form, points, workspace.areaShapes)"
      label="The feature"
      data-test="relation"
      @update:model-value="(test: string) => emit('change', withTest(form, test))"
    />
    <div v-if="'distance' in form" class="fields">
      <v-text-field
        :model-value="form.distance"
        type="number"
        min="0"
        label="Distance"
        data-test="distance"
        @update:model-value="setDistance"
      />
      <v-select
        :model-value="form.unit"
        :items="units"
        label="Unit"
        @update:model-value="(unit: LengthUnit) => emit('change', { ...form, unit } as Form)"
      />
    </div>
    <v-text-field
      v-else-if="form.kind === 'share'"
      :model-value="form.percent"
      type="number"
      min="1"
      max="100"
      suffix="%"
      :label="points ? 'At least, of its points' : 'At least, of its area or length'"
      data-test="percent"
      @update:model-value="setPercent"
    />
    <v-text-field
      v-else-if="form.kind === 'nearest'"
      :model-value="form.amount"
      type="number"
      min="1"
      step="1"
      label="How many"
      data-test="amount"
      @update:model-value="setAmount"
    />
    <div v-if="form.kind === 'radius'" class="fields">
      <v-text-field
        :model-value="form.centre[1]"
        type="number"
        step="0.0001"
        label="Latitude"
        @update:model-value="(v) => setCentre(1, v)"
      />
      <v-text-field
        :model-value="form.centre[0]"
        type="number"
        step="0.0001"
        label="Longitude"
        @update:model-value="(v) => setCentre(0, v)"
      />
    </div>
    <template v-if="!own">
      <div v-for="(one, at) in places" :key="at" class="fields">
        <v-autocomplete
          v-if="nameOfPlace(one) !== null"
          :model-value="nameOfPlace(one)"
          :items="choices"
          :label="at > 0 ? '' : places.length > 1 ? 'Of these places' : layer ? 'Of any feature of' : 'The place'"
          :data-test="at === 0 ? 'place' : 'other-place'"
          @update:model-value="(key: string) => choose(at, key)"
        />
        <span v-else class="shape">{{ shapeInWords(one) }}</span>
        <button v-if="places.length > 1" class="plain" type="button" :aria-label="`Leave out ${shapeInWords(one)}`" @click="dropPlace(at)">
          <v-icon :icon="mdiClose" size="17" />
        </button>
      </div>
      <v-btn-toggle
        v-if="places.length > 1"
        :model-value="combine"
        mandatory
        density="compact"
        class="combine"
        @update:model-value="(op: string) => setPlace({ op: op === 'ALL_OF' ? op : 'ANY_OF', args: places })"
      >
        <v-btn value="ANY_OF" size="small">any of them</v-btn>
        <v-btn value="ALL_OF" size="small" data-test="each">each of them</v-btn>
      </v-btn-toggle>
      <v-autocomplete
        v-if="adding"
        :items="choices"
        label="Another place"
        autofocus
        menu
        data-test="added-place"
        @update:model-value="(key: unknown) => addPlace(key as string)"
      />
      <button v-else-if="several" class="plain link" type="button" data-test="add-place" @click="adding = true">+ another place</button>
    </template>
    <template v-else>
      <p v-if="!round" class="soft">Drag its corners on the map. A corner is added where you drag an edge; Alt-click takes one away.</p>
      <div class="again">
        <template v-if="naming">
          <v-text-field
            v-model="name"
            label="Name of the area"
            autofocus
            maxlength="200"
            data-test="keep-name"
            @keydown.enter="keep"
            @keydown.esc.stop="naming = false"
          />
          <v-btn :disabled="name.trim() === ''" data-test="keep-area" @click="keep">Keep</v-btn>
        </template>
        <button v-else class="plain link" type="button" data-test="name-area" @click="naming = true">Keep it as a named area</button>
      </div>
    </template>
    <div v-if="!layer" class="again">
      <span class="soft">Draw it anew:</span>
      <button class="plain" type="button" aria-label="Draw a polygon instead" @click="show.useTool('polygon', id)">
        <v-icon :icon="mdiVectorPolygon" size="19" />
      </button>
      <button class="plain" type="button" aria-label="Draw round it instead" @click="show.useTool('lasso', id)">
        <v-icon :icon="mdiLasso" size="19" />
      </button>
      <button class="plain" type="button" aria-label="Draw a circle instead" @click="show.useTool('circle', id)">
        <v-icon :icon="mdiCircleOutline" size="19" />
      </button>
      <button class="plain" type="button" aria-label="Draw a rectangle instead" @click="show.useTool('rectangle', id)">
        <v-icon :icon="mdiRectangleOutline" size="19" />
      </button>
      <button class="plain" type="button" aria-label="Draw a line instead" @click="show.useTool('line', id)">
        <v-icon :icon="mdiVectorPolyline" size="19" />
      </button>
    </div>
    <button v-if="polygon" class="plain link" type="button" data-test="cut-hole" @click="show.useTool('hole', id)">Cut a hole</button>
    <v-checkbox
      :model-value="form.outside"
      :label="form.kind === 'area' && form.relation === 's_intersects' ? 'Keep what lies outside instead' : 'Keep what does not'"
      data-test="outside"
      @update:model-value="(on) => emit('change', { ...form, outside: on === true } as Form)"
    />
    <v-checkbox
      v-if="'plane' in form && projected"
      :model-value="form.plane"
      :label="`Measure in the plane of ${source.crs.name}`"
      data-test="plane"
      @update:model-value="(on) => emit('change', { ...form, plane: on === true } as Form)"
    />
    <div v-if="offered.length > 0" class="shows">
      <span class="soft">As columns:</span>
      <v-checkbox
        v-for="column in offered"
        :key="column"
        :model-value="shows.includes(column)"
        :label="SHOWS[column]"
        :data-test="`show-${column}`"
        @update:model-value="(on) => setShown(column, on === true)"
      />
    </div>
  </div>
</template>

<style scoped>
.area {
  display: flex;
  flex-direction: column;
  gap: 9px;
}
.fields {
  display: flex;
  align-items: center;
  gap: 8px;
}
.fields > :first-child {
  flex: 1;
  min-width: 0;
}
.shape {
  padding: 4px 0;
}
p {
  margin: 0;
}
.again {
  display: flex;
  align-items: center;
  gap: 10px;
}
.combine {
  align-self: flex-start;
}
.link {
  align-self: flex-start;
}
.shows {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  column-gap: 10px;
}
.shows :deep(.v-checkbox) {
  flex: none;
}
</style>
