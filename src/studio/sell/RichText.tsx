import { EditorContent, useEditor } from '@tiptap/react'
import StarterKit from '@tiptap/starter-kit'
import { Bold, Heading2, Italic, Link2, List, ListOrdered, Quote } from 'lucide-react'
import { type ReactNode, useEffect } from 'react'
import { classes } from '../../ui/classes.ts'

interface RichTextProps {
  label: string
  html: string
  onChange: (html: string) => void
}

/** A text with headings, lists and emphasis. Empty is the empty string. */
export function RichText({ label, html, onChange }: RichTextProps) {
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
  const askLink = () => {
    const href = window.prompt(
      'Where should it lead? (empty: no link)',
      editor.getAttributes('link').href ?? 'https://',
    )
    if (href === null) return
    if (href.trim() === '' || href === 'https://') editor.chain().focus().unsetLink().run()
    else editor.chain().focus().extendMarkRange('link').setLink({ href: href.trim() }).run()
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
    ['Link', <Link2 key="a" size={15} />, editor.isActive('link'), askLink],
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
      <EditorContent editor={editor} className="px-3 py-2 text-[15px]" />
    </div>
  )
}
