import { createVuetify } from 'vuetify';
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg';

/** Labels of fields stand out from their ground by 4.5 to 1. */
const variables = { 'medium-emphasis-opacity': 0.8 };

const light = {
  dark: false,
  variables,
  colors: {
    background: '#f4f0e6',
    surface: '#fffdf7',
    'surface-light': '#f4f0e6',
    'surface-variant': '#22302b',
    'on-surface-variant': '#fffdf7',
    primary: '#2c5b4b',
    secondary: '#4f8270',
    accent: '#b85a26',
    error: '#a3312a',
    'on-background': '#22302b',
    'on-surface': '#22302b',
  },
};
const dark = {
  dark: true,
  variables,
  colors: {
    background: '#161d1a',
    surface: '#1d2622',
    'surface-light': '#26312c',
    'surface-variant': '#dfe8e6',
    'on-surface-variant': '#1d2622',
    primary: '#8fc3ae',
    secondary: '#6fa08d',
    accent: '#e08a4f',
    error: '#ef9a8f',
    'on-background': '#e8e6dc',
    'on-surface': '#e8e6dc',
  },
};

export const vuetify = createVuetify({
  theme: { defaultTheme: 'light', themes: { light, dark } },
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  defaults: {
    VBtn: { variant: 'flat', rounded: 'lg', ripple: false, height: 34 },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'primary' },
    VTextarea: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'primary' },
    VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'primary' },
    VAutocomplete: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'primary' },
    VCheckbox: { density: 'compact', hideDetails: true, color: 'primary', ripple: false },
    // Hints are there while they are seen; empty ones would be read out as nameless.
    VTooltip: { openDelay: 350, eager: false },
    VMenu: { offset: 6, transition: false },
    VDialog: { transition: false },
  },
});
