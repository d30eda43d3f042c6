import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { JobState } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';

const POLL_MILLIS = 150;

/** Long work on the server that this page started. */
export const useJobs = defineStore('jobs', () => {
  const jobs = ref<JobState[]>([]);

  /** Follows a job to its end; failed jobs stay listed until they are dismissed. */
  async function follow(started: JobState): Promise<JobState> {
    let state = started;
    jobs.value = [...jobs.value, state];
    while (state.state === 'running') {
      await new Promise((resolve) => setTimeout(resolve, POLL_MILLIS));
      state = await api.job(state.id).catch((error: Error): JobState => ({ ...state, state: 'failed', error: error.message }));
      jobs.value = jobs.value.map((job) => (job.id === state.id ? state : job));
    }
    if (state.state !== 'failed') dismiss(state.id);
    return state;
  }

  function dismiss(id: string): void {
    jobs.value = jobs.value.filter((job) => job.id !== id);
  }

  function fail(label: string, error: string): void {
    jobs.value = [
      ...jobs.value,
      {
        id: `local-${Date.now()}-${jobs.value.length}`,
        label,
        state: 'failed',
        share: 0,
        progress: '',
        error,
        result: null,
      },
    ];
  }

  return { jobs, follow, dismiss, fail, cancel: (id: string) => api.cancelJob(id) };
});
