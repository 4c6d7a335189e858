/** The key that does the same as a button. */
export function Key({ children }: { children: string }) {
  return (
    <kbd
      aria-hidden
      className="rounded-[3px] border border-rule bg-sheet-2 px-1 font-sans text-[12px] text-ink-2 max-md:hidden"
    >
      {children}
    </kbd>
  )
}
