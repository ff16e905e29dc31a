/** A number of a form. */
export function Count({ name, label, min, max, value }: { name: string; label: string; min: number; max: number; value: number }) {
  return (
    <label>
      {label}
      <input
        name={name}
        type="number"
        min={min}
        max={max}
        required
        defaultValue={value}
        className="block min-h-8 w-28 rounded border border-edge bg-card px-2"
      />
    </label>
  );
}
