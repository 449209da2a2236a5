// A review, its events, and the certificate of a body, as documents.
#pragma once
#include "core/documents/format.hpp"
#include "core/rest/character.hpp"
#include "core/review/events.hpp"

namespace nb {

Json review_document(const Review& review);
/// What a review document holds under "events".
Json events_document(const std::vector<ReviewEvent>& events);
/// The review of the limbering take on a character, with the state of the rig it was made on.
Json certificate_document(const Character& character, const Review& review);

}  // namespace nb
