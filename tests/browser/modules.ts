/** What of the front end knows no screen, for the tests to call in a browser. */
export * as contours from '../../ui/src/rooms/patterns/contours'
export * as drawing from '../../ui/src/hide/drawing'
export * as hide from '../../ui/src/rooms/leather/hideTools'
export * as lay from '../../ui/src/rooms/lay/lay'
export * as piece from '../../ui/src/rooms/patterns/pieceTools'
export * as push from '../../ui/src/rooms/leather/push'
export * as seen from '../../ui/src/rooms/leather/seenTaken'
export * as units from '../../ui/src/parts/units'
