/// <reference types="vite/client" />
declare module '@fontsource-variable/source-sans-3';
declare module '@fontsource/ibm-plex-mono/400.css';
declare module 'vuetify/styles';
