import { LateComers } from '../dispatch/LateComers.tsx'
import { PaperButton, PaperQuestion } from '../paper/PaperQuestion.tsx'
import { PeopleStage } from '../rounds/PeopleStage.tsx'

/** The stage People, with those who came late to a posted round, and letters on paper: rooms of which rounds know nothing. */
export default function PeopleOfRound() {
  return <PeopleStage lateComers={<LateComers />} paper={<PaperQuestion />} tools={<PaperButton />} />
}
