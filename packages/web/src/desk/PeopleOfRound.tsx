import { LateComers } from '../dispatch/LateComers.tsx'
import { PeopleStage } from '../rounds/PeopleStage.tsx'

/** The stage People, with those who came late to a posted round: posting to them is dispatch, of which rounds know nothing. */
export default function PeopleOfRound() {
  return <PeopleStage lateComers={<LateComers />} />
}
