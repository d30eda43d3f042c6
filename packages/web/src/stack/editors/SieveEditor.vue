<script setup lang="ts">
import { amountBetween, type Form } from '@clean-sieve/core';
import { computed } from 'vue';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { counted } from '../../words/numbers.ts';

type SieveForm = Extract<Form, { kind: 'sieve' }>;
const props = defineProps<{ id: string; form: SieveForm }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();
const sifting = useSifting();

const sieves = computed(() =>
  workspace.sieves
    .filter(({ id, sourceId }) => id !== workspace.activeSieveId && sourceId === workspace.activeSource?.id)
    .map((sieve) => ({ value: sieve.id, title: workspace.nameOf(sieve) })),
);
const chosen = computed(() => workspace.sieveOfName(props.form.name)?.id ?? null);

async function choose(id: number): Promise<void> {
  emit('change', { ...props.form, name: await workspace.namedSieve(id) });
}

/** Features by which of the two keeps them: the conditions beside this one, the other sieve, or both. */
const counts = computed(() => {
  const head = sifting.active?.head;
  const row = head?.rows.find(({ id }) => id === props.id);
  const beside = head?.without[props.id];
  if (!head || !row || beside === undefined) return null;
  const other = props.form.outside ? amountBetween(head.total, row.alone) : row.alone;
  const both = props.form.outside ? amountBetween(beside, head.kept) : head.kept;
  return [
    { what: 'kept by both', count: both, kept: !props.form.outside },
    { what: 'by the other conditions here only', count: amountBetween(beside, both), kept: props.form.outside },
    { what: `by ${props.form.name} only`, count: amountBetween(other, both), kept: false },
  ];
});
</script>

<template>
  <div class="sieve" data-test="sieve-editor">
    <v-btn-toggle
      :model-value="form.outside ? 'not' : 'also'"
      mandatory
      density="compact"
      variant="outlined"
      divided
      @update:model-value="(which: string) => emit('change', { ...form, outside: which === 'not' })"
    >
      <v-btn value="also" size="small">also kept by</v-btn>
      <v-btn value="not" size="small">not kept by</v-btn>
    </v-btn-toggle>
    <v-select
      :model-value="chosen"
      :items="sieves"
      label="Sieve of the same source"
      data-test="sieve-choice"
      @update:model-value="choose"
    />
    <dl v-if="counts" data-test="sieve-counts">
      <div v-for="{ what, count, kept } in counts" :key="what" :class="{ kept }">
        <dt>{{ what }}</dt>
        <dd>{{ counted(count) }}</dd>
      </div>
    </dl>
  </div>
</template>

<style scoped>
.sieve {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
dl {
  margin: 0;
  font-size: 13px;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 3px 2px;
  border-bottom: 1px solid var(--line);
  color: var(--soft);
}
dl div.kept {
  font-weight: 600;
  color: var(--spruce);
}
dt {
  overflow-wrap: anywhere;
}
dd {
  margin: 0;
  font-variant-numeric: tabular-nums;
}
</style>
