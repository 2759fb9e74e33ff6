/** The mark: three waves of one tide. */
export function Mark() {
  return (
    <svg width="26" height="22" viewBox="0 0 26 22" aria-hidden>
      <path
        d="M2 5c5-5 8 4 13 0s6-1 9 0M2 12c5-5 7 3 11 0s5-2 8 0M2 19c5-5 8 4 13 0s6-1 9 0"
        fill="none"
        stroke="var(--teal)"
        strokeWidth="2.6"
        strokeLinecap="round"
      />
    </svg>
  );
}
