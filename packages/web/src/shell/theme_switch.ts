import { computed } from 'vue';
import { useTheme } from 'vuetify';

const STORED = 'clean-sieve-theme';

/** Light and dark colours, and going from one to the other, which this browser remembers. */
export function useThemeSwitch() {
  const theme = useTheme();
  const dark = computed(() => theme.current.value.dark);
  function put(name: 'dark' | 'light'): void {
    void theme.change(name);
    localStorage.setItem(STORED, name);
  }
  /** As it was when the application was left. */
  function restore(): void {
    const stored = localStorage.getItem(STORED);
    if (stored === 'dark' || stored === 'light') void theme.change(stored);
  }
  return { dark, restore, toggle: () => put(dark.value ? 'light' : 'dark') };
}
