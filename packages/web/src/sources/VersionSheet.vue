<script setup lang="ts">
import { DIFFERENCE_PARTS } from '@clean-sieve/core';
import { computed } from 'vue';
import { useVersions } from '../stores/versions.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';

/** What a newer version would change, before it is accepted. */
const versions = useVersions();
const workspace = useWorkspace();
const version = computed(() => versions.version);
const difference = computed(() => version.value?.difference ?? null);
const nameOf = (id: number) => {
  const sieve = workspace.sieves.find((candidate) => candidate.id === id);
  return sieve ? workspace.nameOf(sieve) : '';
};
const columns = computed(() => {
  const d = difference.value?.columns;
  if (!d) return [];
  return [
    ...d.added.map((name) => `${name} is new`),
    ...d.gone.map((name) => `${name} is gone`),
    ...d.retyped.map(({ name, before, after }) => `${name} was ${before}, now ${after}`),
  ];
});
const unmatched = computed(() => {
  const u = difference.value?.unmatched;
  return u && u.before + u.after > 0 ? u : null;
});
</script>

<template>
  <v-dialog :model-value="version !== null" width="720" persistent @keydown.esc="versions.drop()">
    <v-card v-if="version && versions.source" class="dialog" data-test="version-sheet">
      <h3>A newer version of {{ versions.source.name }}?</h3>
      <p class="soft">
        {{ version.fileName }} has {{ plural(version.rows.after, 'feature') }}; in use are {{ counted(version.rows.before) }}, from
        {{ versions.source.fileName }}.
      </p>
      <div class="key">
        <v-select
          :model-value="version.key"
          :items="version.keys"
          label="Features are matched by"
          :disabled="versions.busy"
          data-test="version-key"
          @update:model-value="(key: string) => versions.compareBy(key)"
        />
      </div>
      <div v-if="difference" class="counts">
        <div v-for="part in DIFFERENCE_PARTS" :key="part">
          <b>{{ counted(difference[part]) }}</b> {{ part }}
          <button
            v-if="difference[part] > 0"
            class="plain link"
            type="button"
            :disabled="versions.busy"
            :data-test="`part-${part}`"
            @click="versions.handOverPart(part)"
          >
            hand over
          </button>
        </div>
        <div>
          <b>{{ counted(difference.same) }}</b> the same
        </div>
      </div>
      <p v-else class="warn">No column tells the features apart in both versions, so they cannot be matched one by one.</p>
      <p v-if="unmatched" class="warn">
        Not matched, because the key is blank or stands more than once: {{ counted(unmatched.before) }} before,
        {{ counted(unmatched.after) }} after.
      </p>
      <ul v-if="columns.length > 0" class="columns">
        <li v-for="line in columns" :key="line">{{ line }}</li>
      </ul>
      <p v-for="{ name, problem } in version.lost" :key="name" class="warn" data-test="lost">
        The column {{ name }} cannot be made of it: {{ sentence(problem) }}
      </p>
      <table v-if="version.sieves.length > 0">
        <thead>
          <tr>
            <th>Sieve</th>
            <th class="number">keeps now</th>
            <th class="number">would keep</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="sieve in version.sieves" :key="sieve.id">
            <td>
              {{ nameOf(sieve.id) }}<span v-if="sieve.problem" class="warn">{{ sieve.problem }}</span>
            </td>
            <td class="number">{{ sieve.before === null ? '–' : counted(sieve.before) }}</td>
            <td class="number">{{ sieve.after === null ? 'cannot be sifted' : counted(sieve.after) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="soft">
        Sieves, code lists, names and derived and computed columns stay attached. The version in use is kept and can be put back.
      </p>
      <div class="buttons">
        <v-btn variant="text" data-test="drop-version" @click="versions.drop()">Leave it as it is</v-btn>
        <v-btn color="primary" :disabled="versions.busy" data-test="accept-version" @click="versions.accept()"
          >Take the newer version</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.dialog {
  max-height: 90vh;
  overflow-y: auto;
}
.key {
  width: 300px;
  padding-top: 6px;
}
.counts {
  display: flex;
  gap: 26px;
}
.counts .link {
  display: block;
  font-size: 13px;
}
.counts b {
  display: block;
  font-size: 20px;
}
.columns {
  margin: 0;
  padding-left: 18px;
}
table {
  border-collapse: collapse;
}
th {
  white-space: nowrap;
  text-align: left;
  font-weight: 600;
  color: var(--soft);
}
th,
td {
  padding: 4px 10px 4px 0;
  border-bottom: 1px solid var(--line);
}
.number {
  text-align: right;
}
.warn {
  color: var(--copper-text);
}
td .warn {
  display: block;
  font-size: 12.5px;
}
</style>
