#!/bin/sh
# run.sh TARGET SECONDS: one target explored, then what is in its corpus replayed under the sanitizers.
# The last line of its log tells how much that was.
target=$1 seconds=$2 log=build-explore/$1.log dictionary=
case $target in
profile | keyboards | desk | edits | package) dictionary=-dict=fuzz/yaml.dict ;;
control) dictionary=-dict=fuzz/control.dict ;;
symbols) dictionary=-dict=fuzz/symbols.dict ;;
esac
fail() {
	tail -n 40 "$log"
	exit 255
}
build-explore/fuzz/fuzz_$target -max_total_time="$seconds" -max_len=2048 -timeout=10 -close_fd_mask=1 -use_value_profile=0 \
	-artifact_prefix=build-explore/crashes/$target- -print_final_stats=1 $dictionary build-explore/corpus/$target fuzz/seeds/$target \
	>"$log" 2>&1 || fail
runs=$(sed -n 's/^stat::number_of_executed_units: *//p' "$log")
speed=$(sed -n 's/^stat::average_exec_per_sec: *//p' "$log")
LSAN_OPTIONS=print_suppressions=0:suppressions=tests/lsan.supp build-sanitized/fuzz/fuzz_$target -runs=0 -close_fd_mask=1 -artifact_prefix=build-explore/crashes/$target- \
	build-explore/corpus/$target fuzz/seeds/$target >>"$log" 2>&1 || fail
echo "$target: $runs runs, $speed a second; $(ls build-explore/corpus/$target | wc -l) inputs replayed under the sanitizers" >>"$log"
