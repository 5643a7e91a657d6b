import { EditorContent, useEditor } from '@tiptap/react'
import StarterKit from '@tiptap/starter-kit'
import { Bold, Heading2, Italic, Link2, List, ListOrdered, Quote } from 'lucide-react'
import { type ReactNode, useEffect, useId, useRef, useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'

interface RichTextProps {
  label: string
  html: string
  onChange: (html: string) => void
}

/** A text with headings, lists and emphasis. Empty is the empty string. */
export function RichText({ label, html, onChange }: RichTextProps) {
  const [isLinking, setLinking] = useState(false)
  const editor = useEditor({
    extensions: [StarterKit.configure({ heading: { levels: [2, 3] }, link: { openOnClick: false } })],
    content: html,
    editorProps: {
      attributes: { class: 'tiptap prose', 'aria-label': label, role: 'textbox', 'aria-multiline': 'true' },
    },
    onUpdate: ({ editor: now }) => onChange(now.isEmpty ? '' : now.getHTML()),
  })

  // Undo of the whole page, and the other window, change the text from outside.
  useEffect(() => {
    if (!editor || editor.isFocused) return
    const current = editor.isEmpty ? '' : editor.getHTML()
    if (current !== html) editor.commands.setContent(html, { emitUpdate: false })
  }, [editor, html])

  if (!editor) return null
  const setLink = (href: string) => {
    setLinking(false)
    if (href === '') editor.chain().focus().extendMarkRange('link').unsetLink().run()
    else editor.chain().focus().extendMarkRange('link').setLink({ href }).run()
  }
  const tools: [string, ReactNode, boolean, () => void][] = [
    ['Bold', <Bold key="b" size={15} />, editor.isActive('bold'), () => editor.chain().focus().toggleBold().run()],
    [
      'Italic',
      <Italic key="i" size={15} />,
      editor.isActive('italic'),
      () => editor.chain().focus().toggleItalic().run(),
    ],
    [
      'Heading',
      <Heading2 key="h" size={15} />,
      editor.isActive('heading'),
      () => editor.chain().focus().toggleHeading({ level: 2 }).run(),
    ],
    [
      'List',
      <List key="l" size={15} />,
      editor.isActive('bulletList'),
      () => editor.chain().focus().toggleBulletList().run(),
    ],
    [
      'Numbered list',
      <ListOrdered key="n" size={15} />,
      editor.isActive('orderedList'),
      () => editor.chain().focus().toggleOrderedList().run(),
    ],
    [
      'Quotation',
      <Quote key="q" size={15} />,
      editor.isActive('blockquote'),
      () => editor.chain().focus().toggleBlockquote().run(),
    ],
    ['Link', <Link2 key="a" size={15} />, editor.isActive('link'), () => setLinking(!isLinking)],
  ]
  return (
    <div className="rounded-field border border-line-2 focus-within:border-leaf">
      <div
        role="toolbar"
        aria-label={`Format: ${label}`}
        className="flex gap-0.5 border-b border-line bg-sheet-2 px-1 py-0.5"
      >
        {tools.map(([name, icon, isOn, run]) => (
          <button
            key={name}
            type="button"
            aria-label={name}
            title={name}
            aria-pressed={isOn}
            onClick={run}
            className={classes('rounded p-1.5', isOn ? 'bg-acorn' : 'hover:bg-line')}
          >
            {icon}
          </button>
        ))}
      </div>
      {isLinking && (
        <LinkField
          first={String(editor.getAttributes('link').href ?? '')}
          set={setLink}
          leave={() => {
            setLinking(false)
            editor.commands.focus()
          }}
        />
      )}
      <EditorContent editor={editor} className="px-3 py-2 text-[15px]" />
    </div>
  )
}

/** Where the chosen words lead: a web address, an email, or a page of the shop. */
function LinkField({ first, set, leave }: { first: string; set: (href: string) => void; leave: () => void }) {
  const [text, setText] = useState(first)
  const [why, setWhy] = useState<string | null>(null)
  const field = useRef<HTMLInputElement>(null)
  const noteId = useId()
  useEffect(() => field.current?.focus(), [])
  const save = () => {
    const href = hrefOf(text)
    if (href === null)
      return setWhy('Write a web address, like https://example.org, an email, or a path like /course/…')
    set(href)
  }
  return (
    <div className="flex flex-wrap items-center gap-2 border-b border-line px-2 py-1.5">
      <input
        ref={field}
        aria-label="Where the link leads"
        aria-invalid={why !== null}
        aria-describedby={noteId}
        placeholder="https://example.org"
        maxLength={500}
        value={text}
        className="min-w-0 flex-1 rounded-field border border-line-2 bg-transparent px-2 py-1 text-[14px]"
        onChange={(event) => {
          setWhy(null)
          setText(event.target.value)
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') {
            event.preventDefault()
            save()
          }
          if (event.key === 'Escape') {
            event.stopPropagation()
            leave()
          }
        }}
      />
      <Button onClick={save}>Link</Button>
      {first && (
        <Button kind="link" onClick={() => set('')}>
          No link
        </Button>
      )}
      <Button kind="link" onClick={leave}>
        Cancel
      </Button>
      <p
        id={noteId}
        role={why ? 'alert' : undefined}
        className="w-full text-[13px] font-medium text-failed empty:hidden"
      >
        {why}
      </p>
    </div>
  )
}

/** What was typed as an address that may stand in a page; empty for none, null where it is no address. */
function hrefOf(typed: string): string | null {
  const text = typed.trim()
  if (text === '') return ''
  if (/^\/(?!\/)\S*$/.test(text)) return text
  if (/^[^\s@/]+@[^\s@/]+\.\p{L}{2,}$/u.test(text)) return `mailto:${text}`
  const whole = /^(https?|mailto):/i.test(text)
    ? text
    : /^[\w-]+(\.[\w-]+)+(\/\S*)?$/.test(text)
      ? `https://${text}`
      : ''
  return whole !== '' && URL.canParse(whole) ? whole : null
}
