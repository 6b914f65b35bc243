"""Shows: every cue compiled to a plan, and the run of a show, given what the operator pressed and when.

=====================  ===============================================================================================
what                   what it means
=====================  ===============================================================================================
GO                     fires the cue that stands next, and what follows from it; the next cue that waits for GO stands then
GO again at once       within the length chosen it counts once
GO while others wait   what still waits for a moment of its own goes on waiting, and comes in its turn
with, after the start  counted from the frame at which the one above was fired
after it ends          a sound ends with its own sound, or where it was stopped, and with its echo if that is chosen with its last
                       copy or echo; a fade and a stop when their length has passed, whatever became of their target; a note
                       at once
a loop                 from its start to its end so many times, then on into what lies behind; the last pass is not crossed
let go                 this pass is the last; within the seam's crossfade the next one is
a level line           of a cue without a loop is part of its sound; of a looped one it goes on in the cue's time, whatever pass
                       it is, and keeps its last level
a loop changed         this pass keeps its end; the next goes by the new edges and the new count
a fade                 from the gain that there is at that moment, on every running sound of its target, the one fading included;
                       a sound that is being stopped only takes a stop that is over earlier
stop everything        what sounds fades over the length chosen, what waits is forgotten
pause                  all fades within a moment, and time stands still: sounds, fades, what waits, events
an event               once for each time its cue is fired, at the first passing of its moment
heard                  a gain over −60 dB; under it a sound is "sounding, unheard"
=====================  ===============================================================================================
"""
