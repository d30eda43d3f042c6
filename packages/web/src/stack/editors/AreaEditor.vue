<script setup lang="ts">
import { mdiCircleOutline, mdiRectangleOutline, mdiVectorPolygon, mdiVectorPolyline } from '@mdi/js';
import {
  areaRef,
  buffer,
  LENGTH_UNITS,
  type AreaRelation,
  type AreaShape,
  type Form,
  type LengthUnit,
} from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { isRound } from '../../map/area_tools.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { useWorkspace } from '../../stores/workspace.ts';

type AreaForm = Extract<Form, { kind: 'area' | 'radius' | 'near' }>;
const props = defineProps<{ id: string; form: AreaForm }>();
const emit = defineEmits<{ change: [form: Form] }>();
const show = useMapShow();
const workspace = useWorkspace();
const notices = useNotices();
const naming = ref(false);
const name = ref('');

/** The named area that the condition is about; null for a shape of its own. */
const area = computed(() => {
  const place = props.form.kind === 'radius' ? null : props.form.geometry;
  const named = place && 'op' in place && place.op === 'AREA' ? place.args[0] : null;
  return workspace.areas.find((one) => one.name === named) ?? null;
});
const round = computed(() => isRound(props.form, workspace.areaShapes));

/** Makes the shape an area that other conditions can use too; this one goes on with it. */
async function keep(): Promise<void> {
  const { form } = props;
  const shape: AreaShape = form.kind === 'radius' ? buffer({ type: 'Point', coordinates: form.centre }, form.distance, form.unit) : (form.geometry as AreaShape); // prettier-ignore
  try {
    const added = await workspace.addArea(name.value.trim(), shape);
    naming.value = false;
    const geometry = areaRef(added.name);
    emit('change', form.kind === 'radius' ? { kind: 'area', relation: 'intersects', geometry, outside: form.outside, blanks: false } : { ...form, geometry }); // prettier-ignore
  } catch (error) {
    notices.complain(error);
  }
}

const units = Object.keys(LENGTH_UNITS).map((unit) => ({ value: unit, title: unit }));

const RELATIONS: { value: AreaRelation; title: string }[] = [
  { value: 'intersects', title: 'meets it' },
  { value: 'within', title: 'lies within it' },
  { value: 'contains', title: 'contains it' },
  { value: 'touches', title: 'touches only its edge' },
  { value: 'crosses', title: 'crosses it' },
  { value: 'overlaps', title: 'overlaps it' },
  { value: 'equals', title: 'covers just it' },
];

function setCentre(index: 0 | 1, text: string | number): void {
  const value = Number(text);
  if (
    props.form.kind !== 'radius' ||
    text === '' ||
    !Number.isFinite(value) ||
    Math.abs(value) > (index === 0 ? 180 : 90)
  )
    return;
  const centre = [...props.form.centre];
  centre[index] = value;
  emit('change', { ...props.form, centre });
}
function setDistance(text: string | number): void {
  const distance = Number(text);
  if (props.form.kind !== 'area' && text !== '' && distance >= 0) emit('change', { ...props.form, distance });
}
</script>

<template>
  <div class="area">
    <v-select
      v-if="form.kind === 'area'"
      :model-value="form.relation"
      :items="area && round ? RELATIONS.slice(0, 1) : RELATIONS"
      label="The feature"
      data-test="relation"
      @update:model-value="(relation: AreaRelation) => emit('change', { ...form, relation } as Form)"
    />
    <template v-if="form.kind !== 'area'">
      <div class="fields">
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
    </template>
    <p v-else-if="!round" class="soft">
      Drag its corners on the map. A corner is added where you drag an edge; Alt-click takes one away.
    </p>
    <v-select
      v-if="area"
      :model-value="area.name"
      :items="workspace.areas.map(({ name }) => name)"
      label="The area"
      data-test="area-choice"
      @update:model-value="(name: string) => emit('change', { ...form, geometry: areaRef(name) } as Form)"
    />
    <div v-else class="again">
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
      <button v-else class="plain link" type="button" data-test="name-area" @click="naming = true">
        Keep it as a named area
      </button>
    </div>
    <div class="again">
      <span class="soft">Draw it anew:</span>
      <button class="plain" type="button" aria-label="Draw a polygon instead" @click="show.useTool('polygon', id)">
        <v-icon :icon="mdiVectorPolygon" size="19" />
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
    <v-checkbox
      :model-value="form.outside"
      :label="
        form.kind === 'area' && form.relation !== 'intersects' ? 'Keep what does not' : 'Keep what lies outside instead'
      "
      @update:model-value="(on) => emit('change', { ...form, outside: on === true } as Form)"
    />
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
  gap: 8px;
}
p {
  margin: 0;
}
.again {
  display: flex;
  align-items: center;
  gap: 10px;
}
</style>
