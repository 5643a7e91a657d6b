import type { CourseContent } from '../../core/content/course.ts'
import { COVER_COLORS } from '../../core/content/course.ts'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { Section } from '../frame/Places.tsx'

type Head = Pick<CourseContent, 'title' | 'summary' | 'coverColor'>

interface ProductHeadProps {
  kind: 'course' | 'bundle'
  content: Head
  change: (patch: Partial<Head>) => void
  errorAt: (field: string) => string | undefined
}

/** What every product begins with on the bench: its title, its short text and its colour. */
export function ProductHead({ kind, content, change, errorAt }: ProductHeadProps) {
  return (
    <>
      <h1 className="mt-1 text-[27px]">
        <input
          aria-label={`Title of the ${kind}`}
          aria-invalid={Boolean(errorAt('title'))}
          placeholder={`Title of the ${kind}`}
          maxLength={120}
          value={content.title}
          onChange={(event) => change({ title: event.target.value })}
          className="display w-full rounded bg-transparent font-semibold placeholder:text-ink-3 hover:bg-sheet-2"
        />
      </h1>
      {errorAt('title') && (
        <p role="alert" className="text-[13px] font-medium text-failed">
          {errorAt('title')}
        </p>
      )}
      <Section title="In short">
        <Field
          label="Short text"
          hint={`Shown below the title on every page. ${300 - content.summary.length} characters left.`}
          error={errorAt('summary')}
        >
          {(wiring) => (
            <textarea
              {...wiring}
              rows={2}
              maxLength={300}
              className={BOX_INPUT}
              value={content.summary}
              onChange={(event) => change({ summary: event.target.value })}
            />
          )}
        </Field>
        <CoverColorChoice content={content} change={change} />
      </Section>
    </>
  )
}

function CoverColorChoice({ content, change }: Pick<ProductHeadProps, 'content' | 'change'>) {
  return (
    <fieldset className="mt-3 flex items-center gap-2">
      <legend className="float-left mr-1 text-[13px] font-semibold">Cover colour</legend>
      {COVER_COLORS.map((coverColor) => (
        <label
          key={coverColor}
          title={coverColor}
          className={classes(
            'block size-7 cursor-pointer rounded-[5px] border-2 has-focus-visible:outline-2 has-focus-visible:outline-leaf',
            COVER_CLASS[coverColor],
            coverColor === content.coverColor ? 'border-ink ring-2 ring-acorn' : 'border-transparent',
          )}
        >
          <input
            type="radio"
            name="coverColor"
            value={coverColor}
            checked={coverColor === content.coverColor}
            onChange={() => change({ coverColor })}
            className="sr-only"
          />
          <span className="sr-only">{coverColor}</span>
        </label>
      ))}
    </fieldset>
  )
}
