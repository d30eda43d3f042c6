<script setup lang="ts">
import { checkComputed, emptyTree, FilterError, freeName, parseFilter, printFilter, type Expr } from '@clean-sieve/core';
import type { ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { cellText, labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';
import ColumnPanel from '../sources/ColumnPanel.vue';
import { useLook } from '../sources/use_look.ts';
import SpreadBars from '../sources/SpreadBars.vue';
import { useOwnColumns } from './use_own_columns.ts';
import { waysFor, type Field } from './ways.ts';

/** A column that is computed: from a form or an expression, looked at on real rows before it is kept. */
const props = defineProps<{ source: SourceInfo; column: ColumnInfo | null }>();
const emit = defineEmits<{ done: [name: string | null] }>();
const ExpressionField = defineAsyncComponent(() => import('../dock/text/ExpressionField.vue'));
const workspace = useWorkspace();
const notices = useNotices();
const { keepComputed, lookAtComputed } = useOwnColumns();

const before = props.column?.derivation?.kind === 'computed' ? props.column.derivation : null;
const name = ref(props.column?.name ?? '');
const unit = ref(before?.unit ?? '');
const text = ref(before ? printFilter(before.expr) : '');

const OWN = 'own';
const ways = computed(() => waysFor(props.source, workspace.codeLists));
const chosen = ref(before || ways.value.length === 0 ? OWN : ways.value[0].key);
const way = computed(() => ways.value.find(({ key }) => key === chosen.value) ?? null);
const filled = ref<Record<string, string | string[]>>({});
/** What a form has put there is taken away with the next; what was typed stays. */
const proposed = ref({ name: '', unit: '' });

// By what was chosen, not by the ways themselves: they are made anew when a source has changed, and what is filled in stays.
watch(chosen, () => {
  filled.value = Object.fromEntries(
    (way.value?.fields ?? []).flatMap((field) => (field.kind === 'text' ? [[field.key, field.value]] : [])),
  );
});
watch(
  [chosen, filled],
  ([, values]) => {
    const made = way.value?.make(values);
    if (!made) return;
    text.value = made.expr;
    const free = freeName(made.name, new Set(props.source.columns.map((column) => column.name)));
    if (props.column === null && (name.value === '' || name.value === proposed.value.name)) name.value = free;
    if (unit.value === proposed.value.unit) unit.value = made.unit;
    proposed.value = { name: free, unit: made.unit };
  },
  { deep: true },
);
const columnsOf = (field: Field & { kind: 'column' }) =>
  props.source.columns.filter(({ type }) => field.types.includes(type)).map((one) => ({ value: one.name, title: labelOf(one) }));
const listOf = (key: string) => {
  const names = filled.value[key];
  return typeof names === 'object' ? names : [];
};
const allColumns = computed(() => props.source.columns.map((one) => ({ value: one.name, title: labelOf(one) })));

/** Columns that it can be made of: not of itself. */
const others = computed(() => props.source.columns.filter((one) => one.name !== props.column?.name));
const checked = computed<{ expr: Expr | null; problem: FilterError | null }>(() => {
  if (text.value.trim() === '') return { expr: null, problem: null };
  try {
    const parsed = parseFilter(text.value);
    checkComputed(parsed, { columns: others.value });
    return { expr: parsed.expr, problem: null };
  } catch (error) {
    if (error instanceof FilterError) return { expr: null, problem: error };
    throw error;
  }
});

/** Takes over what the problem says would be right. */
function mend(): void {
  const { problem } = checked.value;
  if (problem?.span && problem.replacement !== null)
    text.value = text.value.slice(0, problem.span.from) + problem.replacement + text.value.slice(problem.span.to);
}

const valuesOf = (column: string) => api.aggregate(props.source.id, { tree: emptyTree() }, { kind: 'values', column });

const { answer, looking, progress, trouble } = useLook(
  () => checked.value.expr,
  (expr, signal, told) => lookAtComputed(props.source.id, expr, signal, told),
);

const TYPES = { number: 'numbers', text: 'texts', boolean: 'yes and no', date: 'dates', datetime: 'dates with a time' };
const headings = computed(() => (answer.value?.from ?? []).map((one) => others.value.find((column) => column.name === one)));
const summary = computed(() => {
  const found = answer.value?.profile;
  if (!found) return '';
  const there = found.rows - found.nulls;
  const range = found.min === null ? '' : `, from ${shown(found.min)} to ${shown(found.max)}`;
  const mean = found.mean === null ? '' : `, on average ${shown(found.mean)}`;
  return `${plural(there, 'value')} of ${plural(found.rows, 'feature')}: ${TYPES[answer.value!.type]}, ${counted(found.distinct)} different${range}${mean}`;
});

const values = computed(() => (answer.value?.profile.histogram ? [] : (answer.value?.profile.values.slice(0, 8) ?? [])));
/** Numbers as closely as a glance needs them. */
function shown(value: string | number | boolean | null): string {
  if (value === null) return 'blank';
  return typeof value === 'number' ? cellText(Number(value.toPrecision(6))) : value === '' ? 'empty text' : cellText(value);
}

const nameProblem = computed(() => {
  const wanted = name.value.trim();
  if (props.column || wanted === '') return '';
  return wanted === 'geometry' || props.source.columns.some((one) => one.name === wanted) ? 'is there already' : '';
});
const keeping = ref(false);
async function put(): Promise<void> {
  const { expr } = checked.value;
  if (!expr || !answer.value) return;
  keeping.value = true;
  try {
    const formula = { expr, unit: unit.value.trim() || null };
    await keepComputed(props.source, name.value.trim(), formula, before && { expr: before.expr, unit: before.unit });
    notices.say(`${name.value.trim()} is computed for ${plural(props.source.rows, 'feature')}.`);
    emit('done', name.value.trim());
  } catch (error) {
    notices.complain(error);
  }
  keeping.value = false;
}
</script>

<template>
  <ColumnPanel data-test="compute-panel" @submit="put">
    <p v-if="column" class="soft">
      How <b>{{ labelOf(column) }}</b> is computed. What is made of it follows.
    </p>
    <div class="line">
      <v-select
        v-if="!column"
        v-model="chosen"
        :items="[...ways.map(({ key, title }) => ({ value: key, title })), { value: OWN, title: 'An expression of your own' }]"
        label="Compute"
        data-test="way"
      />
      <template v-for="field in way?.fields ?? []" :key="`${chosen} ${field.key}`">
        <v-autocomplete
          v-if="field.kind === 'column'"
          v-model="filled[field.key]"
          :items="columnsOf(field)"
          :label="field.label"
          :data-test="`field-${field.key}`"
        />
        <v-autocomplete
          v-else-if="field.kind === 'columns'"
          :model-value="listOf(field.key)"
          :items="allColumns"
          :label="field.label"
          multiple
          chips
          :data-test="`field-${field.key}`"
          @update:model-value="(names: string[]) => (filled[field.key] = names)"
        />
        <v-select
          v-else-if="field.kind === 'choice'"
          v-model="filled[field.key]"
          :items="[...field.choices]"
          :label="field.label"
          :data-test="`field-${field.key}`"
        />
        <v-text-field v-else v-model="filled[field.key]" :label="field.label" :data-test="`field-${field.key}`" />
      </template>
    </div>
    <ExpressionField
      v-model="text"
      :columns="others"
      :values="valuesOf"
      :problem="checked.problem"
      label="Expression"
      hint="A column, a number, or what is computed of them"
    />
    <p v-if="checked.problem" class="trouble" role="alert" data-test="compute-problem">
      {{ sentence(checked.problem.line) }}
      <button
        v-if="checked.problem.replacement !== null && checked.problem.span"
        class="plain link"
        type="button"
        data-test="compute-mend"
        @click="mend"
      >
        Write {{ checked.problem.replacement }}
      </button>
    </p>
    <p v-else-if="trouble" class="trouble" role="alert" data-test="compute-problem">{{ trouble }}</p>
    <p v-else-if="looking" class="soft" role="status">{{ progress || 'Computing it' }} …</p>
    <p v-else-if="!answer" class="soft">
      Fill in the fields, or write an expression in the filter's language: columns, numbers, texts in single quotes, and functions, which
      are offered as you write.
    </p>
    <template v-else>
      <p class="summary" data-test="compute-summary">{{ summary }}.</p>
      <ul v-if="answer.blanks.length > 0" class="blanks" data-test="compute-blanks">
        <li v-for="cause in answer.blanks" :key="cause.reason" :class="{ failed: cause.failed }">
          <b>{{ counted(cause.rows) }} blank</b>: {{ cause.reason
          }}<template v-if="cause.examples.length > 0"
            >, such as
            <span v-for="(example, i) in cause.examples" :key="example.value">{{ i > 0 ? ', ' : '' }}“{{ example.value }}”</span></template
          >
        </li>
      </ul>
      <SpreadBars v-if="answer.profile.histogram" :histogram="answer.profile.histogram" label="How the values spread" />
      <p v-else-if="values.length > 0" class="soft values">
        <span v-for="{ value, count } in values" :key="String(value)"
          ><b>{{ shown(value) }}</b> {{ counted(count) }}</span
        >
      </p>
      <div class="rows">
        <table data-test="compute-samples">
          <thead>
            <tr>
              <th v-for="(one, i) in headings" :key="i">{{ one ? labelOf(one) : '' }}</th>
              <th class="made">{{ name.trim() || 'computed' }}{{ unit.trim() ? `, ${unit.trim()}` : '' }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="sample in answer.samples" :key="sample.key">
              <td v-for="(value, i) in sample.given" :key="i" :class="{ blank: value === null }">{{ shown(value) }}</td>
              <td class="made" :class="{ blank: sample.value === null }">{{ shown(sample.value) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
    <template #foot>
      <v-text-field
        v-model="name"
        label="Name of the column"
        maxlength="200"
        :disabled="column !== null"
        :error-messages="nameProblem"
        data-test="compute-name"
      />
      <v-text-field v-model="unit" label="Unit" maxlength="40" class="unit" data-test="compute-unit" />
      <v-btn variant="text" @click="emit('done', null)">Cancel</v-btn>
      <v-btn
        color="primary"
        type="submit"
        :loading="keeping"
        :disabled="!answer || name.trim() === '' || nameProblem !== ''"
        data-test="compute-keep"
        >{{ column ? 'Change it' : 'Keep the column' }}</v-btn
      >
    </template>
  </ColumnPanel>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
.line > * {
  flex: 1 1 150px;
}
.unit {
  flex: 0 1 110px;
}
.blanks {
  margin: 0;
  padding: 0;
  list-style: none;
  color: var(--soft);
}
.blanks .failed {
  color: var(--copper-text);
}
.values {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.rows {
  flex: none;
  overflow-x: auto;
}
</style>
