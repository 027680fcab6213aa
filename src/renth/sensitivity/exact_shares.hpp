// Sobol' indices of surrogates that are sums of products, without sampling.
#pragma once
#include <optional>
#include <renth/sensitivity/variance_shares.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The shares over the whole box (no limits), inputs independent and uniform, levels and choices equally
/// likely, of a mean that is Σ c_t Π_j φ_tj(x_j): polynomials, chaos, kriging with a kernel that is a product
/// (the Gaussian and Matérn 5/2 in each parameter), each alone, rescaled, on fewer parameters or blended.
/// None for other kinds, for a transformed response, for more than one output, for sums too long for memory,
/// and where coefficients that cancel would leave fewer than four digits.
///
/// With means m_j and second moments E_j of the factors of parameter j, C_j = E_j − m_j m_jᵀ: the main effect
/// of j is Σ c_t Π_{k≠j} m_tk φ_tj, that of a pair alike, and the variance of all that j has a part in is
/// cᵀ(C_j ∘ Π_{k≠j} E_k)c (W. Chen, R. Jin, A. Sudjianto, Journal of Mechanical Design 127, 2005, section 3:
/// tensor products). Integrals of one parameter by Gauss–Legendre with 48 nodes: exact for polynomials.
std::optional<VarianceShares> exact_shares(const Space& space, const Surrogate& surrogate);

}  // namespace renth
