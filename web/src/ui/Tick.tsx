/** A tick on a line of a long list: plain, because hundreds of them are drawn at once. */
export function Tick({ label, checked, change }: { label: string; checked: boolean; change: (on: boolean, range: boolean) => void }) {
  return (
    <label className="tick">
      <input
        type="checkbox"
        aria-label={label}
        checked={checked}
        onChange={(event) => change(event.target.checked, (event.nativeEvent as MouseEvent).shiftKey)}
      />
    </label>
  );
}
