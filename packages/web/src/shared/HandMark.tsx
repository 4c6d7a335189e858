/** The mark: three wavy cancelling strokes over a small upright stamp. */
export function HandMark() {
  return (
    <svg
      aria-hidden="true"
      viewBox="0 0 32 32"
      className="size-6 text-post"
      fill="none"
      stroke="currentColor"
      strokeWidth="2"
      strokeLinecap="round"
      strokeLinejoin="round"
    >
      <path d="M13 4h14v20H13z" strokeDasharray="2.4 2.1" />
      <path d="M17 9h6v7h-6z" />
      <path d="M2 14c3-3 5 3 8 0s5 3 8 0M2 19c3-3 5 3 8 0s5 3 8 0M2 24c3-3 5 3 8 0s5 3 8 0" />
    </svg>
  )
}
