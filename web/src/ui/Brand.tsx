/** The name with its line of hills. */
export function Brand() {
  return (
    <div className="brand">
      <svg viewBox="0 0 24 18" aria-hidden="true">
        <path d="M1 15c4-7 6-7 9-3 3-6 6-9 13-1" />
        <path d="M1 17h22" />
      </svg>
      Moorland
    </div>
  );
}
