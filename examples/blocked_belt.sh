#!/bin/sh
# The bottling line by hand, with the filler on its bridge beside the belt on its drive: the belt is
# blocked, and its drive stops it with a fault of its own. With the cause mended the fault is cleared,
# the drive's too; armed again the belt goes on: a first move, short and at half the speed, then as usual.
# usage: examples/blocked_belt.sh [TOOL]        from the project's folder
alive() { # so many tenths of a second: 250 ms of silence would stop it
    beats=$1
    while [ "$beats" -gt 0 ]; do
        sleep 0.1
        echo alive
        beats=$((beats - 1))
    done
}
{
    printf '%s\n' command arm 'drives on' 'main on' 'belt home at most 2s'
    alive 5
    printf '%s\n' 'filler ramp 40%' 'belt ramp 120rpm'
    alive 12
    echo 'fault belt stalled'
    alive 15
    printf '%s\n' 'mend belt stalled' 'clear belt'
    alive 8
    printf '%s\n' 'clear belt' 'arm belt' 'belt turn 20deg'
    alive 8
    echo 'belt turn 360deg'
    alive 15
    printf '%s\n' state bye
} | "${1:-build/windpin}" live demo/honey-line.yaml --lines --confirmed | grep -v '"words":"heard"'
