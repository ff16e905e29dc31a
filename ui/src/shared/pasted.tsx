import { type DragEvent, useState } from 'react';

const most = 512 * 1024;

/** A list that is pasted, typed or dropped as a file. */
export function Pasted(props: { label: string; value: string; rows: number; placeholder?: string; onChange: (text: string) => void }) {
  const [over, setOver] = useState(false);
  return (
    <label className="block text-sm text-soft">
      {props.label}
      <textarea
        value={props.value}
        rows={props.rows}
        maxLength={most}
        spellCheck={false}
        placeholder={props.placeholder}
        onChange={(event) => props.onChange(event.target.value)}
        onDragOver={(event: DragEvent) => (event.preventDefault(), setOver(true))}
        onDragLeave={() => setOver(false)}
        onDrop={(event: DragEvent) => {
          event.preventDefault();
          setOver(false);
          const file = event.dataTransfer.files[0];
          if (file && file.size <= most) void file.text().then(props.onChange);
        }}
        className={`mt-0.5 block w-full rounded border bg-card p-2 font-mono text-sm text-ink ${over ? 'border-ink bg-wash' : 'border-edge'}`}
      />
    </label>
  );
}
