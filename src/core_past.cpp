#include "core_past.h"

namespace clockpigeon {

Record::Record(const Past &past, const Way &way, int tasks)
    : node(way.nodes), done(tasks, kNever), failures(tasks, 0), given_up(tasks, 0), taken(tasks, 0), past_(&past) {
  std::size_t lost = 0;
  for (const Span &s : past.spans) {
    for (; lost < past.losses.size() && past.losses[lost].noticed <= s.from; ++lost) lose(past.losses[lost], way);
    read(s, way);
  }
  for (; lost < past.losses.size(); ++lost) lose(past.losses[lost], way);
  for (int k = 0; k < tasks; ++k) {
    if (done[k] == kNever && failures[k] > way.retries) given_up[k] = 1;
    taken[k] = taken[k] || done[k] < kNever;
  }
  // A task that its node took with it can be taken again when that is noticed.
  for (auto a = past.spans.rbegin(); a != past.spans.rend(); ++a) {
    if (a->activity != aborting || a->task < 0 || taken[a->task]) continue;
    ticks noticed = a->to;
    for (const Loss &l : past.losses) {
      if (l.node == a->node && l.gone <= a->to && a->to <= l.noticed) noticed = l.noticed;
    }
    again.push_back({noticed, a->task});
    taken[a->task] = 1;
  }
}

void Record::read(const Span &s, const Way &way) {
  Node &n = node[s.node];
  const bool over = s.to < kNever;
  if (s.activity == prepassing) {
    prepass.push_back({s.node, s.from, s.to});
    return;
  }
  if (s.task >= 0) {
    n.ended = over ? std::max(n.ended, s.to) : n.ended;
    if (!over) {
      n.task = s.task;
      n.from = s.from;
      taken[s.task] = 1;
    } else if (s.activity == failing) {
      failures[s.task] += int(s.runs + 0.5);
      if (failures[s.task] > way.retries) {
        given_up[s.task] = 1;
        done[s.task] = s.to;
      }
    } else if (s.activity == rendering) {
      done[s.task] = s.to;
    } else {
      ++aborted;
      taken[s.task] = 0;
    }
    return;
  }
  if (over) n.other.push_back({s.activity, s.to});
  if (s.activity == starting) {
    n.up = s.to;
    n.starts = !over;
  } else if (s.activity == loading) {
    n.load_from = s.from;
    n.loaded = s.to;
    n.loads = !over;
  } else if (s.activity == idling && s.to > past_->now) {
    n.idle_from = s.from;
    n.idle_to = s.to;
  }
}

// Its spans so far are of the life that is over.
void Record::lose(const Loss &loss, const Way &way) {
  Node &n = node[loss.node];
  const int life = n.life + 1;
  n = Node();
  n.gone = !way.replaced;
  n.life = life;
  n.lost = loss.gone;
  n.noticed = loss.noticed;
}

}  // namespace clockpigeon
