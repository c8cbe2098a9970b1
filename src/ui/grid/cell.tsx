'use client'

import { type FieldDef, type Image, type Organisation, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import Link from '../parts/link'
import { ValueEditor } from '../records/value-editor'
import { isNumeric, type PersonChoice, shownValue } from '../records/values'

const WIDTHS: Partial<Record<FieldDef['type'], number>> = {
  number: 96,
  money: 124,
  date: 112,
  'date-time': 168,
  'yes/no': 90,
  choice: 134,
  person: 140,
  'long text': 300,
  email: 230,
}

/** How wide a field's column is, in pixels. */
export function widthOf(field: FieldDef): number {
  return Math.max((field.number ? 104 : WIDTHS[field.type]) ?? 156, field.label.length * 8 + 30)
}

interface Props {
  readonly id: string
  readonly table: TableDef
  readonly field: FieldDef
  readonly record: Image | undefined
  readonly width: number
  /** Where the column stays while the others scroll, in pixels; null where it scrolls too. */
  readonly left: number | null
  /** Whether it is one of several that are selected. */
  readonly isSelected: boolean
  readonly isTitle: boolean
  readonly isActive: boolean
  readonly isEditing: boolean
  /** What was typed before and refused. */
  readonly typed: Stored | undefined
  readonly titles: Readonly<Record<string, string>>
  readonly people: readonly PersonChoice[]
  readonly organisation: Organisation
  readonly onChoose: (isRange: boolean) => void
  readonly onEdit: () => void
  readonly onSave: (value: Stored) => void
  readonly onCancel: () => void
}

/** One cell: the value, or its editor; a double click edits, the title leads to the record. */
export function Cell({
  id,
  table,
  field,
  record,
  width,
  left,
  isSelected,
  isTitle,
  isActive,
  isEditing,
  typed,
  titles,
  people,
  organisation,
  onChoose,
  onEdit,
  onSave,
  onCancel,
}: Props) {
  const text = record ? shownValue(field, record[field.name], titles, organisation) : '…'
  const look = `flex shrink-0 items-center overflow-hidden px-2 ${left === null ? '' : 'sticky z-10 bg-inherit'} ${isSelected ? 'bg-spruce-wash' : ''} ${isNumeric(field) ? 'figures justify-end' : ''} ${isActive ? 'outline-2 outline-rope-mark -outline-offset-2' : ''} ${isEditing ? 'bg-rope-wash' : ''}`
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useKeyWithClickEvents: the grid takes the keys for its cells
    // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and names its active cell
    <div
      id={id}
      role="gridcell"
      aria-selected={isActive || isSelected}
      className={look}
      style={{ width, ...(left === null ? {} : { left }) }}
      onClick={(event) => onChoose(event.shiftKey)}
      onDoubleClick={isTitle ? undefined : onEdit}
    >
      {isEditing && record ? (
        <ValueEditor field={field} value={record[field.name] ?? null} typed={typed} title={text} people={people} onSave={onSave} onCancel={onCancel} autoFocus />
      ) : isTitle && record ? (
        <Link href={recordPath(table.name, record.id)} tabIndex={-1} className="truncate font-semibold">
          {text || `${table.singular} ${record.id}`}
        </Link>
      ) : (
        <span className="truncate" title={text}>
          {text}
        </span>
      )}
    </div>
  )
}
