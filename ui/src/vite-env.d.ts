/// <reference types="vite/client" />

declare module '*.json?part=shared' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=student' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=later' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=account' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=family' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=changeRequests' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=signIn' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=reminder' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=talk' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=result' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=scheduler' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=teacher' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=staff' {
  const words: Record<string, unknown>;
  export default words;
}
declare module '*.json?part=seats' {
  const words: Record<string, unknown>;
  export default words;
}
