/** Things to be agreed to, each on its own. */
export function Agreements(props: { head: string; items: { id: string; text: string }[]; agreed: string[]; onAgree: (agreed: string[]) => void }) {
  const { agreed, onAgree } = props;
  if (props.items.length === 0) return null;
  return (
    <fieldset className="no-print mt-4 mb-4">
      <legend className="font-semibold">{props.head}</legend>
      {props.items.map(({ id, text }) => (
        <label key={id} className="flex min-h-11 items-center gap-3 border-t border-line py-1">
          <input
            type="checkbox"
            className="size-6 shrink-0 accent-(--ink)"
            checked={agreed.includes(id)}
            onChange={(event) => onAgree(event.target.checked ? [...agreed, id] : agreed.filter((x) => x !== id))}
          />
          {text}
        </label>
      ))}
    </fieldset>
  );
}
