/** What is said once and not again: a token, a secret. It is told to who cannot see it come. */
export function ShownOnce({ text, secret }: { text: string; secret: string | undefined }) {
  return (
    <div role="status">
      {secret && (
        <p className="mt-2 border-s-2 border-ochre-line ps-3">
          {text} <code className="block text-sm break-all select-all">{secret}</code>
        </p>
      )}
    </div>
  );
}
