"""The simulated room: computed bodies, the images that a technique makes of them, and drills on both."""
