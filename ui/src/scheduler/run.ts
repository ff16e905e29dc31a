import type { components } from '../api/schema.gen';

export type Run = components['schemas']['RunView'];

/** The name of a run: A, B, C … Z, AA, AB … */
export const letter = (id: number): string => (id > 26 ? letter(Math.floor((id - 1) / 26)) : '') + String.fromCharCode(65 + ((id - 1) % 26));
