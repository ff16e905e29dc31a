import type { components } from '../api/schema.gen';

export type Run = components['schemas']['RunView'];

/** The name of a run: A, B, C… */
export const letter = (id: number) => String.fromCharCode(64 + id);
