/** Whether it is written quietly; for administrators. */
export function Quietly({ quiet, onQuiet }: { quiet: boolean; onQuiet: (quiet: boolean) => void }) {
  return (
    <label className="mt-5 flex items-baseline gap-2 border-rule border-t pt-3">
      <input type="checkbox" className="accent-spruce" checked={quiet} onChange={(e) => onQuiet(e.target.checked)} />
      <span>
        Quietly <span className="text-muted text-sm">workflows let it pass by</span>
      </span>
    </label>
  )
}
