'use client'

import { DndContext, type DragEndEvent, PointerSensor, useDraggable, useDroppable, useSensor, useSensors } from '@dnd-kit/core'
import { GripVertical } from 'lucide-react'
import type { ReactNode } from 'react'

/** Lets lines be dragged: dropped on another of their kind, a line goes before it. */
export function Dragging({ children, onDrop }: { children: ReactNode; onDrop: (path: string, target: string) => void }) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }))
  const end = ({ active, over }: DragEndEvent) => {
    if (over && over.id !== active.id) onDrop(String(active.id), String(over.id))
  }
  return (
    <DndContext id="brief" sensors={sensors} onDragEnd={end}>
      {children}
    </DndContext>
  )
}

/** Where another line can be dropped. */
export function DropPlace({ path, children }: { path: string; children: ReactNode }) {
  const { setNodeRef, isOver } = useDroppable({ id: path })
  return (
    <div ref={setNodeRef} className={isOver ? 'shadow-[0_-2px_0_var(--rope-mark)]' : ''}>
      {children}
    </div>
  )
}

/** The handle that a line is dragged by; by keys a line is moved with Alt and an arrow. */
export function Handle({ path, name }: { path: string; name: string }) {
  const { setNodeRef, listeners, isDragging } = useDraggable({ id: path })
  return (
    <span
      ref={setNodeRef}
      {...listeners}
      aria-hidden
      title={`Drag ${name}`}
      className={`flex w-4 cursor-grab touch-none items-center text-muted opacity-0 group-hover:opacity-70 ${isDragging ? 'opacity-100' : ''}`}
    >
      <GripVertical className="size-3.5" />
    </span>
  )
}
