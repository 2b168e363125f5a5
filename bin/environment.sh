# Sourced by the commands beside it: one virtual environment, filled from a lock file with hashes.
# A second call with an unchanged lock file does nothing.

cd "$(dirname "${BASH_SOURCE[0]}")/.." || exit 1
export PIP_DISABLE_PIP_VERSION_CHECK=1 DJANGO_SETTINGS_MODULE=studio.settings
# compiled modules are kept: without them each process would take seconds to compile all that it imports
unset PYTHONDONTWRITEBYTECODE

find_python() {
    local candidate
    for candidate in python3.11 python3 python; do
        if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            echo "$candidate"
            return
        fi
    done
    echo "Python 3.11 or newer is needed and was not found." >&2
    return 1
}

# prepare_environment app|test: the environment holds at least what that lock file names.
prepare_environment() {
    local lock="requirements/$1.lock" stamp=".venv/installed-$1" python
    if cmp -s "$lock" "$stamp"; then
        return
    fi
    python=$(find_python) || exit 1
    [ -x .venv/bin/python ] || "$python" -m venv .venv || {
        echo "The environment could not be made. On Debian: apt-get install python3-venv" >&2
        exit 1
    }
    echo "Installing what requirements/$1.lock names. This is done once." >&2
    install_locked "$lock" || exit 1
    cp "$lock" "$stamp"
}

# install_locked <lock file>: all that it names, by uv, in less than half of pip's time; by pip where uv cannot. The file names what
# its packages need too, so nothing else is looked for. Modules are compiled when they are first imported, most never.
install_locked() {
    local locked=(--quiet --no-deps --require-hashes -r "$1") index
    index=${PIP_INDEX_URL:-$(.venv/bin/python -m pip config get global.index-url 2>/dev/null || true)}
    .venv/bin/python -m pip install --quiet --no-deps --require-hashes -r requirements/install.lock &&
        UV_SYSTEM_CERTS=1 .venv/bin/uv pip install --python .venv/bin/python ${index:+--default-index "$index"} "${locked[@]}" ||
        .venv/bin/python -m pip install --no-compile "${locked[@]}"
}
