#!/bin/sh
# The pump driven by a shell that talks with windpin live in lines.
# usage: examples/by_lines.sh [TOOL]        from the project's folder
{
    printf '%s\n' command arm 'main on' 'pump run 40% for 2s'
    for beat in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16; do # 250 ms of silence would stop it
        sleep 0.2
        echo alive
    done
    printf '%s\n' state bye
} | "${1:-build/windpin}" live demo/honey-pump.yaml --lines --confirmed | grep -v '"words":"heard"'
