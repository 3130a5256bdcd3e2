# Completions of omnipar for bash.
_omnipar() {
  local called=omnipar at words
  for ((at = 1; at < COMP_CWORD; ++at)); do
    [[ ${COMP_WORDS[at]} == -* ]] || [[ " $(_omnipar_words "$called") " != *" ${COMP_WORDS[at]} "* ]] || called+=" ${COMP_WORDS[at]}"
  done
  words=$(_omnipar_words "$called")
  COMPREPLY=($(compgen -W "$words" -- "${COMP_WORDS[COMP_CWORD]}"))
  ((${#COMPREPLY[@]})) || COMPREPLY=($(compgen -f -- "${COMP_WORDS[COMP_CWORD]}"))
}
_omnipar_words() {
  local words=
  case $1 in
    "omnipar") words="units doctor catalogue rig learn calibrate profile check why watch play trace demo --help --version --color" ;;
    "omnipar units") words="--help --rig --host --data --why --raw --listen --json --with-virtual" ;;
    "omnipar doctor") words="--help --rule --rig --data --json --fix --uninstall" ;;
    "omnipar catalogue") words="list show fields report --help --json --data" ;;
    "omnipar catalogue list") words="--help --json --data" ;;
    "omnipar catalogue show") words="--help --json --data" ;;
    "omnipar catalogue fields") words="--help --json" ;;
    "omnipar catalogue report") words="--help --json --host" ;;
    "omnipar rig") words="show rollcall add seat unseat rename connection forget swap undo --help" ;;
    "omnipar rig show") words="--help --rig --json" ;;
    "omnipar rig rollcall") words="--help --rig --json --data --host --seconds --with-virtual" ;;
    "omnipar rig add") words="--help --rig --json --name --data --host --seconds --with-virtual" ;;
    "omnipar rig seat") words="--help --rig --json" ;;
    "omnipar rig unseat") words="--help --rig --json" ;;
    "omnipar rig rename") words="--help --rig --json" ;;
    "omnipar rig connection") words="--help --rig --json" ;;
    "omnipar rig forget") words="--help --rig --json" ;;
    "omnipar rig swap") words="--help --rig --json" ;;
    "omnipar rig undo") words="--help --rig --json" ;;
    "omnipar learn") words="profile unit --help" ;;
    "omnipar learn profile") words="--help --data --host --used --skip-after --with-virtual --from --speed --step --resume --json --rig --as --port --second --only --ask-all --missing --add --unit --all-units --feel --leds" ;;
    "omnipar learn unit") words="--help --data --host --used --skip-after --with-virtual --from --speed --step --resume --json --form --by --parts --base --only --as --unit" ;;
    "omnipar calibrate") words="combinations unit gun screen --help --json" ;;
    "omnipar calibrate combinations") words="--help --rig --data --host --seconds --json" ;;
    "omnipar calibrate unit") words="--help --rig --data --host --only --marks --no-pushes --forget --seat --picture --from --speed --step --resume --with-virtual --json" ;;
    "omnipar calibrate gun") words="--help --rig --data --host --screen --shots --area --page --port --no-test --sweep --check --seat --picture --from --speed --step --resume --with-virtual --json" ;;
    "omnipar calibrate screen") words="--help --rig --size --at --turned --scale --area --rectangle --forget --json" ;;
    "omnipar profile") words="list show new set clear copy undo --help" ;;
    "omnipar profile list") words="--help --data --rig --json" ;;
    "omnipar profile show") words="--help --data --rig --json" ;;
    "omnipar profile new") words="--help --data --rig --json --system" ;;
    "omnipar profile set") words="--help --data --rig --json --port --nothing" ;;
    "omnipar profile clear") words="--help --data --rig --json --port" ;;
    "omnipar profile copy") words="--help --data --rig --json --port --to-port --like --host --as" ;;
    "omnipar profile undo") words="--help --data --rig --json" ;;
    "omnipar check") words="--help --data --rig --json" ;;
    "omnipar why") words="--help --unused --profile --data --rig --host --at --picture --json" ;;
    "omnipar watch") words="--help --data --rig --host --tick-off --players --at-most --raw --once --size --from --speed --step --picture --grab --with-virtual --json" ;;
    "omnipar play") words="--help --data --rig --host --learn --learn-as --keep --ranges-by-use --keep-ranges --game-shots --wait-at-most --insist-after --alone --rumble --feel --leds --notify --record --urgent --stats --json --with-virtual --show-plan" ;;
    "omnipar trace") words="record replay cut --help" ;;
    "omnipar trace record") words="--help --about --seconds --data --with-virtual --with-keys --raw --json" ;;
    "omnipar trace replay") words="--help --profile --data --rig --json --against" ;;
    "omnipar trace cut") words="--help --from --to --unit --json" ;;
    "omnipar demo") words="--help --slow --json" ;;
  esac
  echo "$words"
}
complete -o filenames -F _omnipar omnipar
