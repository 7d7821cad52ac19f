#pragma once
/// The progress of a long computation, and the request to stop it; shared by the computing thread and the watching one.
#include <atomic>
#include <memory>

namespace um {

/// A share of a computation's progress. Copies refer to the same computation; `span` gives a share to a step. All
/// functions may be called from any thread.
class Progress {
public:
    Progress();

    /// The part of this progress from `begin` to `end` (0 to 1), for a step that itself counts from 0 to 1.
    Progress span(double begin, double end) const;

    /// Reports that `fraction` (0 to 1) of this share is done.
    /// @throws Cancelled  if cancel() was called
    void at(double fraction) const;

    /// @throws Cancelled  if cancel() was called
    void check() const;

    void cancel() const;
    bool cancelled() const;

    /// Of the whole computation, 0 to 1.
    double fraction() const;

private:
    struct State {
        std::atomic<double> fraction = 0;
        std::atomic<bool> cancelled = false;
    };

    std::shared_ptr<State> m_state;
    double m_begin = 0;
    double m_end = 1;
};

}  // namespace um
