/// <reference types="vite/client" />
declare module '@fontsource-variable/atkinson-hyperlegible-next';
declare module '@fontsource-variable/fraunces';

declare module '*.json?part=shared' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=student' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=staff' {
  const words: Record<string, unknown>;
  export default words;
}
