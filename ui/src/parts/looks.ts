export type Look = 'brass' | 'paper' | 'bench' | 'stop'

const LOOKS: Record<Look, string> = {
  brass: 'bg-brass text-ink hover:bg-[#e7b75c] font-semibold',
  paper: 'border border-ink/40 text-ink hover:bg-ink/8',
  bench: 'border border-chalk/40 text-chalk hover:bg-chalk/10',
  stop: 'bg-ink text-chalk hover:bg-black font-semibold',
}

/** What a button looks like, and a link that stands among buttons: brass for the next act, paper or
 * bench for the others, ink for stopping. */
export const likeAButton = (look: Look = 'paper') =>
  `inline-flex min-h-11 items-center justify-center gap-2 rounded-sm px-4 whitespace-nowrap ${LOOKS[look]}`
