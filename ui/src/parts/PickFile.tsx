import { useRef, type ComponentProps, type ReactNode } from 'react'
import { Button } from './controls'

/** A button that asks for a file: a picture, from a folder or a telephone's camera, where nothing else is said. */
export function PickFile({
  label,
  accept = 'image/*',
  onPick,
  children,
  ...button
}: {
  /** What the file shows, for those who cannot see the button's place. */
  label: string
  /** Kinds of file, as a browser writes them. */
  accept?: string
  onPick: (file: File) => void
  children: ReactNode
} & Omit<ComponentProps<typeof Button>, 'onClick' | 'children'>) {
  const picker = useRef<HTMLInputElement>(null)
  return (
    <>
      <Button {...button} onClick={() => picker.current?.click()}>
        {children}
      </Button>
      <input
        ref={picker}
        type="file"
        accept={accept}
        className="hidden"
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0]
          if (file) onPick(file)
          e.target.value = ''
        }}
      />
    </>
  )
}
