import { type Mutant, of } from './mutant.ts'

const PAGES = ['src/server/checkoutPages']

/** What could break a checkout page, its pictures and its videos. */
export const PAGE_MUTANTS: readonly Mutant[] = [
  ...of('src/core/content/checkoutPage.ts', PAGES, [
    ['a page never ends', 'Date.parse(ends.at) <= Date.parse(at)', 'Date.parse(ends.at) < 0'],
    ['an end in the past is published', 'Date.parse(ends.at) <= Date.parse(now)', 'Date.parse(ends.at) < 0'],
    ['it leads to what is not published', 'ends.leadsTo !== null && !pages.includes(ends.leadsTo)', 'false'],
  ]),
  ...of(
    'src/core/checkoutPages/facts.ts',
    [],
    [
      ['it counts down to what is over', 'Date.parse(end) > Date.parse(facts.at)', 'end !== facts.at'],
      ['a testimonial of nobody is shown', 'isWritten(words) && isWritten(name)', 'isWritten(words)'],
      ['a missing video is shown', 'part.videoId && facts.videos[part.videoId]', 'part.videoId'],
    ],
  ),
  ...of(
    'src/core/checkoutPages/arrange.ts',
    ['src/shop/anyPage.test.ts'],
    [
      [
        'a part stands where it may not',
        "part.kind === 'opening' || !mayStand(part.kind, to.place)",
        "part.kind === 'opening'",
      ],
      [
        'something stands above the opening',
        "place === 'above' ? headFirst(partsAt(parts, place)) : partsAt(parts, place)",
        'partsAt(parts, place)',
      ],
    ],
  ),
  ...of(
    'src/core/look/readable.ts',
    [],
    [
      [
        'text cannot be read on a colour',
        'wcagContrast(at(middle), ON_COLOR) >= MIN_CONTRAST',
        'wcagContrast(at(middle), ON_COLOR) >= 3',
      ],
    ],
  ),
  ...of('src/server/checkoutPages/make.ts', PAGES, [
    ['an old address is lost', 'if (page.live) await tx', 'if (!page.live) await tx'],
    ['another page gets an old address', 'return page + old + product.length > 0', 'return page + product.length > 0'],
    ['buttons lead to a retired page', 'if (everyday) await leadTo', 'if (!everyday) await leadTo'],
    ['a page is deleted on which was ordered', 'if (await wasOrderedOn(tx, id)) {', 'if (!id) {'],
  ]),
  ...of('src/server/checkout/asked.ts', PAGES, [
    [
      'a page that has ended takes orders',
      'page.isRetired || isOver(page.live, services.now().toISOString())',
      'page.isRetired',
    ],
  ]),
  ...of('src/server/checkout/orderRows.ts', PAGES, [
    ['where a buyer came from is forgotten', "placing.request.from ?? ''", "''"],
  ]),
  ...of('src/server/checkoutPages/bench.ts', PAGES, [
    ['rich text is saved as it came', '{ ...part, html: cleanRichText(part.html) }', '{ ...part }'],
  ]),
  ...of(
    'src/server/files/store.ts',
    ['src/server/media'],
    [
      [
        'a part of another length is taken',
        'data.length === 0 || data.length !== lengthOfPart(file, n)',
        'data.length === 0',
      ],
      ['a whole file is changed', 'if (file.checksum !== null) throw', 'if (file.length < 0) throw'],
      ['a gap is passed over', 'return gap < 0 ? rows.length : gap', 'return rows.length'],
      ['a range begins a byte late', 'Math.max(0, from - start)', 'Math.max(1, from - start)'],
    ],
  ),
  ...of(
    'src/server/files/serve.ts',
    ['src/server/media'],
    [
      ['who has it is sent it again', "one === tag || one === '*'", "one === '*'"],
      [
        'a range of another version is sent',
        'condition === undefined || condition === tag',
        'condition !== tag || true',
      ],
    ],
  ),
  ...of(
    'src/server/media/videos.ts',
    [],
    [['what is no video is kept', 'await deleteFile(db, fileId)', 'await findFile(db, fileId)']],
  ),
  ...of(
    'src/core/content/captions.ts',
    ['src/core/content/captions.test.ts'],
    [
      ['captions keep their markup', ".replaceAll(/<[^>]*>?/g, '')", ''],
      ['captions run backwards', 'if (to <= from) return', 'if (to < 0) return'],
    ],
  ),
  ...of('src/server/pages/pageFacts.ts', PAGES, [
    ['every picture has a coarse copy in the page', 'id === first?.shot.pictureId', 'id !== null'],
  ]),
  ...of(
    'src/server/media/pictures.ts',
    [],
    [['a coarse copy shines through', '!(await image.clone().stats()).isOpaque', 'false']],
  ),
  ...of('src/server/catalogue/sellable.ts', PAGES, [
    ['a page cannot be shaped before its offer is on sale', 'sellable && sellable.offers.length > 0', 'sellable'],
  ]),
]
