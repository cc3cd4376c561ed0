/** The program's mark: kept, gap, the hand. */
export function Brand() {
  return (
    <a href="/" className="flex shrink-0 items-center gap-2.5 whitespace-nowrap text-ink no-underline" title="All recordings">
      <svg aria-hidden="true" width="23" height="18" viewBox="0 0 23 18">
        <rect x="0" y="0" width="6" height="18" fill="var(--ink)" />
        <path d="M9 18L14 9M9 11l5-9M9 4l2-4M12 18l2-4" stroke="var(--line2)" strokeWidth="1.2" />
        <rect x="17" y="0" width="6" height="18" fill="var(--hand)" />
      </svg>
      <span className="font-head text-xl font-extrabold tracking-tight">Fresh Gap</span>
    </a>
  );
}
