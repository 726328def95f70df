"""Short cautions, each shown at the piece it applies to."""

from __future__ import annotations

LEAD = (
    "Lead is toxic: gloves or a roller, wash hands before eating, keep it from children and "
    "pets, no scraps on the floor."
)
LEAD_AT_THE_HAND = (
    "Lead under a grip meets skin and sweat. Take putty or a lead-free tape for the handle."
)
GUARD = (
    "Trimming the bumper guard leaves the rim bare and may end the maker's warranty. Blade away"
    " from the body, light passes, frame held still. Try a lighter grip or thinner strings first."
)

BLADES = (
    "A fresh blade, cut away from the body, the other hand behind it, several light passes. Metal"
    " edges cut too."
)
SOLVENT = "Air and gloves, no flame; let it dry, and cure before play."
SILICONE = "Silicone stays, and swallows feel. Putty comes out again: try it with putty first."
FOAM = (
    "This handle is filled with foam: there is no room for it. Tape inside the cap, or strips under"
    " the grip."
)
MODULE = "A module slides and catches air: for trying, not for play. Note where it sat, then tape."
RULES = (
    "Check the rules of the event and the maker's warranty: some alterations break the rules, or"
    " void the warranty."
)
